"""All texts in one place: finds every text that people may read, in the core, the server and the pages, and brings the
catalogues in words/ up to date with them. What the sentences of operations are made of is kept beside them
(sentences.json), so that one can be told again from its text alone.

    scripts/words.py            update the catalogues; tell what has no translation yet
    scripts/words.py --check    change nothing; exit 1 where a text has no translation, or a translation no text

Texts stand in the source as they are read, in English; a value in one is {0}, {1}, … in the catalogue. The command
line and the log speak English alone.
"""

from __future__ import annotations

import argparse
import ast
import inspect
import io
import json
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING, Literal, get_args, get_origin

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po, write_po

if TYPE_CHECKING:
    from tectogon.workpiece.operation import Operation

BASE = Path(__file__).resolve().parent.parent
FOLDER = BASE / "words"
SENTENCES = FOLDER / "sentences.json"
UNREAD = ("cli", "management", "migrations", "operating", "confine.py", "settings.py", "budget.py", "asgi.py")
UNREAD_CALLS = {"execute", "compile", "getLogger", "info", "warning", "error", "exception", "debug", "getattr", "sub"}
UNREAD_CALLS |= {"add_argument", "RunSQL", "match", "search", "split", "encode", "urlopen", "cast", "TypeVar", "run"}
READ_CALLS = {
    "words",
    "Described",
    "name_token",
    "length_token",
    "curves_token",
    "Operation",
    "result_tokens",
    "choice_token",
}

CODE = re.compile(r"[<>=_\\]|SELECT|^/|^\.|^#|default-src|^data: |^retry|\"what\"|^: still")

TELLING = 5
"""A text with fewer letters of its own could be anything."""
HOLE = re.compile(r"\{\d+\}")
Found = tuple[str, str, int]


def main() -> int:
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("--check", action="store_true")
    check = parser.parse_args().check
    template = Catalog(fuzzy=False)
    for text, file, line in [*_of_python(), *_of_pages(), *_by_hand()]:
        template.add(text, locations=[(file, line)])
    missing = 0
    for path in sorted(FOLDER.glob("*.po")):
        missing += _brought_up_to_date(path, template, check=check)
    told = json.dumps(_sentences(), indent=1, ensure_ascii=False) + "\n"
    if check and told != SENTENCES.read_text():
        print(f"{SENTENCES.name} is behind the operations: run this without --check", file=sys.stderr)
        return 1
    if not check:
        SENTENCES.write_text(told)
    return 1 if check and missing else 0


def _brought_up_to_date(path: Path, template: Catalog, *, check: bool) -> int:
    with path.open("rb") as file:
        catalogue = read_po(file)
    overrides = [m for m in catalogue if m.id and m.context]
    known = {m.id: m.string for m in catalogue if m.id and not m.context}
    out = Catalog(
        locale=path.stem,
        project="Tectogon",
        version="1",
        header_comment="",
        msgid_bugs_address="-",
        last_translator="-",
        language_team="-",
        fuzzy=False,
        creation_date=catalogue.creation_date,
        revision_date=catalogue.creation_date,
    )
    for message in template:
        if message.id:
            out.add(message.id, known.get(message.id, ""), locations=message.locations)
    for message in overrides:
        out.add(message.id, message.string, context=message.context)
    untold = [m for m in out if m.id and not m.string]
    torn = [m for m in out if m.id and m.string and set(HOLE.findall(m.id)) != set(HOLE.findall(m.string))]
    gone = [text for text in known if text not in template]
    for message in untold:
        print(f"{path.name}: no translation of “{message.id}” ({message.locations[0][0]})", file=sys.stderr)
    for message in torn:
        print(f"{path.name}: the translation of “{message.id}” has other values in it", file=sys.stderr)
    for text in gone:
        print(f"{path.name}: nobody says “{text}” any more", file=sys.stderr)
    if check:
        return len(untold) + len(torn) + len(gone)
    buffer = io.BytesIO()
    write_po(buffer, out, width=120, omit_header=False, sort_output=False, include_lineno=False)
    path.write_bytes(buffer.getvalue())
    return 0


def _sentences() -> dict[str, list[str]]:
    """What the sentences of operations are made of: the words between their values, by the words they begin with, or
    the choices; nothing where they begin with another value."""
    sys.path.insert(0, str(BASE / "core"))
    from tectogon.operations import OPERATIONS

    out: dict[str, set[str]] = {}
    for kind in OPERATIONS.values():
        said = list(_said_by(kind))
        between = {word for one in said for word in one[1:]} | set(
            _words_in(ast.parse(Path(inspect.getfile(kind.sentence)).read_text()))
        )
        for start in {one[0] for one in said}:
            out.setdefault(start, set()).update(between)
    return {start: sorted(w for w in out[start] if w and not re.search(r"\d", w)) for start in sorted(out)}


def _said_by(kind: Operation) -> Iterator[list[str]]:
    """The plain words of its sentence, nothing for each value, with every choice of one value."""
    fields = kind.params.model_fields
    if any(field.is_required() for field in fields.values()):
        return
    for name, field in fields.items():
        codes = get_args(field.annotation) if get_origin(field.annotation) is Literal else ()
        for value in [field.default, *codes, *([3] if name == "count" else [])]:
            first, *others = kind.sentence(kind.params(**{name: value}), None)
            rest = [t.text if not t.field else "" for t in others]
            options = (first.editor or {}).get("options", ())
            yield from ([one["label"], *rest] for one in options)
            if not options:
                yield [first.text if not first.field else "", *rest]


def _words_in(tree: ast.AST) -> Iterator[str]:
    """What stands in calls of `words` and `body_tokens`, in one piece."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and getattr(node.func, "id", "") in ("words", "body_tokens") and node.args:
            made = [part for part in ast.walk(node.args[0]) if isinstance(part, ast.JoinedStr)]
            torn = {id(bit) for part in made for bit in ast.walk(part)}
            for part in ast.walk(node.args[0]):
                if isinstance(part, ast.Constant) and isinstance(part.value, str) and id(part) not in torn:
                    yield part.value


def _by_hand() -> Iterator[Found]:
    for line, text in enumerate((FOLDER / "also.txt").read_text().splitlines(), 1):
        if text and not text.startswith("#"):
            yield text, "words/also.txt", line


def _of_pages() -> Iterator[Found]:
    done = subprocess.run(["node", "words.mjs"], cwd=BASE / "web", capture_output=True, text=True, check=True)
    for one in json.loads(done.stdout):
        yield one["text"], f"web/{one['file']}", one["line"]


def _of_python() -> Iterator[Found]:
    for root in (BASE / "core" / "tectogon", BASE / "server" / "tectogon_server"):
        for path in sorted(root.rglob("*.py")):
            inside = path.relative_to(root)
            if not any(part in UNREAD for part in inside.parts):
                yield from _Texts(str(path.relative_to(BASE))).of(ast.parse(path.read_text()))


class _Texts(ast.NodeVisitor):
    """Collects the texts of one module."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.found: list[Found] = []
        self.told_here = False
        self.least = 3

    def of(self, tree: ast.Module) -> list[Found]:
        self.visit(tree)
        return self.found

    def _body(self, node: ast.Module | ast.ClassDef | ast.FunctionDef | ast.AsyncFunctionDef) -> None:
        for name, value in ast.iter_fields(node):
            if name in ("returns", "args", "bases", "type_params"):
                continue
            for child in value if isinstance(value, list) else [value]:
                if isinstance(child, ast.AST) and not (isinstance(child, ast.Expr) and _is_text(child.value)):
                    self.visit(child)

    visit_Module = visit_ClassDef = visit_FunctionDef = visit_AsyncFunctionDef = _body

    def visit_Expr(self, node: ast.Expr) -> None:
        if not _is_text(node.value):
            self.generic_visit(node)

    def visit_AnnAssign(self, node: ast.AnnAssign) -> None:
        """A type is no text, but what describes a value within one is."""
        for part in ast.walk(node.annotation):
            if isinstance(part, ast.Call) and getattr(part.func, "id", "") == "Described":
                self.visit(part)
        if node.value is not None:
            self.visit(node.value)

    def visit_Subscript(self, node: ast.Subscript) -> None:
        self.visit(node.value)

    def visit_Compare(self, node: ast.Compare) -> None:
        self.visit(node.left)

    def visit_Call(self, node: ast.Call) -> None:
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        if name in UNREAD_CALLS:
            return
        if name == "count_of":
            self._counted(node)
            return
        before = self.told_here, self.least
        self.told_here, self.least = name in READ_CALLS, 2 if name == "words" else 3
        self.generic_visit(node)
        self.told_here, self.least = before

    def visit_Dict(self, node: ast.Dict) -> None:
        before, self.told_here = self.told_here, True
        for value in node.values:
            self.visit(value)
        self.told_here = before

    def visit_JoinedStr(self, node: ast.JoinedStr) -> None:
        count, text = 0, ""
        for value in node.values:
            if isinstance(value, ast.Constant):
                text += value.value
            else:
                text += f"{{{count}}}"
                count += 1
                if isinstance(value, ast.FormattedValue):
                    before, self.told_here = self.told_here, True
                    self.visit(value.value)
                    self.told_here = before
        self._add(text, node.lineno)

    def visit_Constant(self, node: ast.Constant) -> None:
        if isinstance(node.value, str):
            self._add(node.value, node.lineno)

    def _counted(self, node: ast.Call) -> None:
        forms = [a.value for a in node.args[1:] if isinstance(a, ast.Constant)]
        if forms:
            self._add(f"{{0}} {forms[0]}", node.lineno)
            self._add(f"{{0}} {forms[1] if len(forms) > 1 else forms[0] + 's'}", node.lineno)

    def _add(self, text: str, line: int) -> None:
        flat = _numbered(" ".join(text.split()))
        bare = re.sub(r"\{\d+\}", "", flat)
        if flat.isupper() or not re.search(r"[A-Za-z]{2}", bare) or CODE.search(flat):
            return
        if (" " in flat and re.search(r"[a-z]{2}", bare)) or (
            self.told_here and re.fullmatch(rf"[A-Za-z]{{{self.least},}}[.,:;]?", flat)
        ):
            self.found.append((flat, self.file, line))


def _numbered(text: str) -> str:
    """A text for `format` with its values numbered."""
    count = iter(range(100))
    return re.sub(r"\{(?:[a-z]\w*)?(:[^}]*)?\}", lambda _: f"{{{next(count)}}}", text)


def _is_text(node: ast.AST) -> bool:
    return isinstance(node, ast.Constant) and isinstance(node.value, str)


if __name__ == "__main__":
    sys.exit(main())
