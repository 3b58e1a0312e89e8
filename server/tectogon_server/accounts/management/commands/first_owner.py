"""A workshop and its first owner; everybody else comes by an invitation."""

from __future__ import annotations

import getpass
import sys
from typing import Any

from django.contrib.auth.models import User
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import transaction
from tectogon.errors import TectogonError

from tectogon_server.accounts.actions.account import check_password
from tectogon_server.accounts.models import Membership, Workshop


class Command(BaseCommand):
    help = "Make a workshop and its first owner; the password is asked for, or is the first line that comes in."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("name", help="what the person signs in with")
        parser.add_argument("workshop", help="what the company or department is called")

    @transaction.atomic
    def handle(self, *args: Any, name: str, workshop: str, **options: Any) -> None:
        if User.objects.filter(username__iexact=name).exists():
            raise CommandError(f"Somebody signs in as “{name}” already.")
        password = getpass.getpass("Password: ") if sys.stdin.isatty() else sys.stdin.readline().rstrip("\n")
        user = User(username=name)
        try:
            check_password(password, user)
        except TectogonError as problem:
            raise CommandError(problem.sentence) from None
        user.set_password(password)
        user.save()
        made = Workshop.objects.create(name=workshop)
        Membership.objects.create(user=user, workshop=made, role=Membership.Role.OWNER)
        self.stdout.write(f"{name} owns {workshop}.")
