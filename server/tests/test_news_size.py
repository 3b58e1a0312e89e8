"""News are whole, however long what they tell of is."""

from __future__ import annotations

import json

import pytest
from tectogon_server.api.events import _Board
from tectogon_server.news import MOST, _payload


@pytest.mark.parametrize("text", ["x" * 20_000, "⌀" * 9_000, '"\\' * 9_000, "a" * 7_880])
def test_long_news_are_cut_at_a_whole_character(text: str) -> None:
    told = _payload({"workshop": 1, "what": "part", "change": text, "who": "Ines"})
    news = json.loads(told)
    assert len(told.encode()) <= MOST and text.startswith(news["change"]) and news["who"] == "Ines"


@pytest.mark.parametrize("payload", ['{"workshop": 1, "what": "pa', "[]", "null", ""])
def test_news_that_nobody_can_read_end_nothing(payload: str) -> None:
    board = _Board()
    board._hand_out(payload)
    board._hand_out(json.dumps({"workshop": 1, "what": "part"}))
