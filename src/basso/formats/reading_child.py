"""Reads one binary log in a confined process of its own: ``python -m basso.formats.reading_child FOLDER``.

It leaves the recording in the folder, in the form in which recordings are kept (:mod:`basso.formats.kept_form`).
"""

from __future__ import annotations

import importlib
import os
from dataclasses import replace
from pathlib import Path
from typing import Any

from basso.errors import FormatError
from basso.formats.kept_form import store
from basso.formats.options import options_from_plain
from basso.formats.packed import CUT_GZIP, unpack
from basso.formats.reader_notes import broken_off
from basso.limits import MOST_BINARY_BYTES
from basso.platform.child import say, serve


def work(request: dict[str, Any], folder: Path) -> dict[str, Any]:
    """Read the log named; what is wrong with it is an answer too.

    Raises:
        FormatError: it cannot be read; the error names the file as the user knows it.
    """
    path, options = Path(request["path"]), options_from_plain(request["options"])

    def progress(fraction: float, what: str) -> None:
        say({"progress": fraction, "what": what})

    try:
        reader = importlib.import_module(f"basso.formats.{request['kind']}")
        if request["packed"]:
            plain = folder / (path.stem if path.suffix.lower() == ".gz" else path.name)
            whole = unpack(path, plain, MOST_BINARY_BYTES)
            try:
                recording = reader.read(plain, options, progress)
            except FormatError as error:
                raise (error.about(path) if error.path == plain else error) from None
            recording = replace(recording, path=path, format=f"{recording.format} in gzip")
            if not whole:
                recording = broken_off(recording, CUT_GZIP)
            plain.unlink()
        else:
            recording = reader.read(path, options, progress)
        return {"kept": store(folder, recording)}
    except FormatError as error:
        return {"wrong": [os.fsdecode(error.path), error.what, error.remedy, error.where]}


if __name__ == "__main__":
    serve(work)
