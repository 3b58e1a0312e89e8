"""People of two workshops, and a client for each."""

from __future__ import annotations

import io
from typing import Any

import ezdxf
import pytest
from django.conf import settings
from django.contrib.auth.models import User
from django.core.files.uploadedfile import SimpleUploadedFile
from people import make_person
from tectogon_server.parts.actions.make_part import make_part
from tectogon_server.parts.models import Part


@pytest.fixture(autouse=True)
def apart(tmp_path: Any) -> None:
    settings.RESULTS = tmp_path / "results"
    settings.PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]  # quick, for tests alone


@pytest.fixture
def plate_dxf() -> bytes:
    document = ezdxf.new("R2010", units=4)
    document.modelspace().add_circle((0, 0), 5)
    stream = io.StringIO()
    document.write(stream)
    return stream.getvalue().encode()


@pytest.fixture
def ines(db: None) -> User:
    return make_person("ines", "Fernmoor")


@pytest.fixture
def rival(db: None) -> User:
    return make_person("rival", "Elsewhere")


@pytest.fixture
def part(ines: User, plate_dxf: bytes) -> Part:
    return make_part(ines, "Plate", SimpleUploadedFile("plate.dxf", plate_dxf))
