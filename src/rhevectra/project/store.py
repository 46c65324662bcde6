"""Reading and writing project files: atomic, and nothing is lost when something is wrong."""

import csv
import io
import os
import tempfile
from collections.abc import Collection, Mapping, Sequence
from pathlib import Path
from typing import Any

from rhevectra.core.basis.errors import InputError
from rhevectra.core.catalogue.tables import TABLES, Catalogue, check_rows, read_rows, shipped, shipped_columns, with_own
from rhevectra.project.codec import LARGEST, decode, encode
from rhevectra.project.document import Document


def load(path: str | Path) -> Document:
    """The document in a file. Raises InputError (missing, unreadable, foreign, damaged, newer)."""
    path = Path(path)
    try:
        if path.stat().st_size > LARGEST:
            raise InputError(path.name, f"the file is {path.stat().st_size / 1e6:.0f} MB", "a project file below 5 MB")
        text = path.read_text(encoding="utf-8")
    except UnicodeDecodeError:
        raise InputError(path.name, "the file is not UTF-8 text", "a project file") from None
    except OSError as problem:
        raise InputError(path.name, f"cannot be read ({problem.strerror})", "a readable project file") from None
    return decode(text, path.name)


def write_text(path: str | Path, text: str) -> None:
    """Write a text like `write_bytes`, as UTF-8."""
    write_bytes(path, text.encode())


def write_bytes(path: str | Path, content: bytes) -> None:
    """Write a file so that a kill at any instant leaves the old or the new one. Raises InputError where it cannot be written."""
    path = Path(path)
    temporary = None
    try:
        handle, temporary = tempfile.mkstemp(prefix=f".{path.name}.", dir=path.parent)
        with os.fdopen(handle, "wb") as stream:
            stream.write(content)
            stream.flush()
            os.fsync(stream.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
    except OSError as problem:
        if temporary and os.path.exists(temporary):
            os.unlink(temporary)
        raise InputError(path.name, f"cannot be written ({problem.strerror})", "a folder that may be written") from None


def save(document: Document, path: str | Path) -> None:
    """Save a document. Raises InputError where it cannot be written; the old file is then untouched."""
    write_text(path, encode(document))


def _folder(folder: Path) -> dict[str, tuple[dict[str, Any], ...]]:
    found = {}
    for table in TABLES:
        file = folder / f"{table}.csv"
        if file.is_file():
            found[table] = read_rows(table, file.read_text(encoding="utf-8"), str(file.name))
    return found


def own_folder() -> Path:
    """Where a person's own parts lie."""
    import platformdirs

    return Path(platformdirs.user_data_dir("rhevectra")) / "parts"


def keep_parts(table: str, rows: Sequence[Mapping[str, Any]], without: Collection[str] = ()) -> Path:
    """Put rows into the person's own parts, in place of those of the same names, and take others out; where they lie. Raises InputError
    where they cannot be read or written."""
    path = own_folder() / f"{table}.csv"
    checked = check_rows(table, rows, table)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        there = read_rows(table, path.read_text(encoding="utf-8"), path.name) if path.is_file() else ()
    except OSError as problem:
        raise InputError(path.name, f"cannot be kept ({problem.strerror})", "a folder that may be written") from None
    replaced = {r["name"] for r in checked} | set(without)
    text = io.StringIO(newline="")
    writer = csv.DictWriter(text, shipped_columns(table))
    writer.writeheader()
    writer.writerows([*(r for r in there if r["name"] not in replaced), *checked])
    write_text(path, text.getvalue())
    return path


def catalogue_for(document: Document, path: str | Path | None = None) -> Catalogue:
    """Shipped rows, then the person's own: user folder, beside the project, embedded in it (the later wins)."""
    catalogue = shipped()
    places: list[tuple[str, Mapping[str, Any]]] = [("own parts", _folder(own_folder()))]
    if path is not None:
        places.append(("parts beside the project", _folder(Path(path).parent / "parts")))
    places.append(("parts in the project", document.parts))
    for where, rows in places:
        if rows:
            catalogue = with_own(catalogue, rows, where)
    return catalogue
