"""The shelf: what is looked for, in which order, page by page, as the database gives it; and what it is told."""

from __future__ import annotations

from typing import Any
from urllib.parse import urlencode

import pytest
from django.contrib.auth.models import User
from django.utils import timezone
from people import make_person, signed_in
from tectogon_server.accounts.models import membership_of
from tectogon_server.computing.shelf import keep_failure
from tectogon_server.parts.models import Part

CAP = {"mass_g": 20, "material": "brass", "bounds": [0, 0, 0, 40, 9, 9]}
FIN = {"mass_g": 300, "bounds": [0, 0, 0, 5, 5, 300]}
ROWS: list[tuple[str, dict[str, Any]]] = [
    ("Sonde cap", {"number": "FM-10", "labels": ["sonde"], "figures": CAP}),
    ("keel fin", {"number": "FM-9", "files": ["foil-ke12.dat"], "figures": FIN}),
    ("Old plate", {"archived": timezone.now(), "labels": ["scrap"]}),
    ("Plate 10", {"labels": ["sonde", "räck"], "figures": {"bounds": [-10, 0, 0, 1000, 1, 1]}}),
    ("Plate 9", {"labels": ["räck"]}),
    ("100 % _sure_", {}),
]


@pytest.fixture
def shelf(ines: User) -> Any:
    """Ask for a page; gives the names in their order, or all of the page."""
    membership = membership_of(ines)
    assert membership is not None
    for name, more in ROWS:
        Part.objects.create(workshop=membership.workshop, name=name, **more)
    Part.objects.create(workshop=membership.workshop, name="Plate on the desk", desk=True)
    client = signed_in(ines)

    def asked(whole: bool = False, **query: Any) -> Any:
        answer = client.get(f"/api/shelf?{urlencode(query, doseq=True)}")
        assert answer.status_code == 200, answer.content
        page = answer.json()
        return page if whole else [p["name"] for p in page["parts"]]

    return asked


@pytest.mark.parametrize(
    ("query", "names"),
    [
        ({"order": "name"}, ["100 % _sure_", "keel fin", "Plate 9", "Plate 10", "Sonde cap"]),
        ({"order": "number"}, ["keel fin", "Sonde cap", "100 % _sure_", "Plate 9", "Plate 10"]),
        ({"order": "mass"}, ["keel fin", "Sonde cap", "100 % _sure_", "Plate 9", "Plate 10"]),
        ({"order": "size"}, ["Plate 10", "keel fin", "Sonde cap", "100 % _sure_", "Plate 9"]),
        ({"order": "changed"}, ["100 % _sure_", "Plate 9", "Plate 10", "keel fin", "Sonde cap"]),
        ({"words": "plate", "order": "name"}, ["Plate 9", "Plate 10"]),
        ({"words": "fm-1"}, ["Sonde cap"]),
        ({"words": "KE12 fin"}, ["keel fin"]),
        ({"words": "bras"}, ["Sonde cap"]),
        ({"words": "räck 10"}, ["Plate 10"]),
        ({"words": "%"}, ["100 % _sure_"]),
        ({"words": "_"}, ["100 % _sure_"]),
        ({"label": "räck", "order": "name"}, ["Plate 9", "Plate 10"]),
        ({"label": ["räck", "sonde"]}, ["Plate 10"]),
        ({"removed": "true"}, ["Old plate"]),
        ({"order": "name", "skip": 1, "count": 2}, ["keel fin", "Plate 9"]),
    ],
)
def test_what_is_looked_for_stands_in_its_order(shelf: Any, query: dict[str, Any], names: list[str]) -> None:
    assert shelf(**query) == names


def test_a_page_tells_of_all_that_is_wanted(shelf: Any) -> None:
    page = shelf(whole=True, words="plate", count=1)
    assert (page["count"], page["at_hand"], page["removed"]) == (2, 5, 1)
    assert page["labels"] == [["räck", 2], ["sonde", 2]]
    assert shelf(whole=True, removed="true")["labels"] == [["scrap", 1]]


def test_nobody_finds_parts_of_others(shelf: Any) -> None:
    rival = make_person("rival", "Elsewhere", "owner")
    page = signed_in(rival).get("/api/shelf?words=plate").json()
    assert page == {"parts": [], "count": 0, "labels": [], "at_hand": 0, "removed": 0}


def test_a_part_that_could_not_be_computed_says_so(part: Part, ines: User) -> None:
    from tectogon_server.computing.shelf import _key_on_record

    assert not keep_failure(part.pk, "another card's key")
    assert keep_failure(part.pk, _key_on_record(part) or "")
    (row,) = signed_in(ines).get("/api/shelf").json()["parts"]
    assert row["stands"]["state"] == "wrong" and row["stands"]["words"] == "could not be computed"
