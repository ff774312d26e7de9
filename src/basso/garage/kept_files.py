"""Files beside the garage's database: samples of logs, photographs and sheets, each named after its content."""

from __future__ import annotations

import hashlib
from pathlib import Path

from basso.errors import InputError
from basso.files import put_whole
from basso.garage.records import FILE_HASH, LOG_HASH
from basso.plain_text import plain


class KeptFiles:
    """The files of one garage."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def keep_file(self, data: bytes, suffix: str) -> str:
        """Keep a file by its content; returns its name in ``files``."""
        digest = hashlib.sha256(data).hexdigest()
        name = digest + suffix.lower() if FILE_HASH.fullmatch(digest + suffix.lower()) else digest
        self._put(self.folder / "files" / name, data)
        return name

    def keep_samples(self, log_hash: str, parquet: bytes) -> None:
        """Keep the samples of a log by the fingerprint of its content.

        Raises:
            InputError: it cannot be written, or the fingerprint is none.
        """
        if not LOG_HASH.fullmatch(log_hash):
            raise InputError(f"'{plain(log_hash, 60)}': is no fingerprint of a log; nothing was kept.")
        self._put(self.samples_file(log_hash), parquet)

    def samples_file(self, log_hash: str) -> Path:
        """Where the samples of a log are, if they are kept; always inside the garage's folder."""
        return self.folder / "samples" / f"{log_hash if LOG_HASH.fullmatch(log_hash) else '-'}.parquet"

    def kept_file(self, file_hash: str) -> Path:
        """Where an attached file is, if it is kept; always inside the garage's folder, and never a link out of it."""
        path = self.folder / "files" / (file_hash if FILE_HASH.fullmatch(file_hash) else "-")
        return self.folder / "files" / "-" if path.is_symlink() else path

    def _put(self, path: Path, data: bytes) -> None:
        if path.is_file():
            return
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            put_whole(path, data)
        except OSError as error:
            raise InputError(f"{path}: cannot be kept ({error.strerror}); free the disk or the folder.") from None

    def all(self) -> list[Path]:
        """Every file that is kept, and what interrupted work may have left of one."""
        return [
            p
            for folder, shape in (("samples", LOG_HASH), ("files", FILE_HASH))
            for p in sorted((self.folder / folder).glob("*"))
            if shape.fullmatch(p.stem if folder == "samples" else p.name) or p.name.startswith(".")
        ]
