"""What every reader of a zip has to reckon with."""

from __future__ import annotations

import struct
import zipfile
import zlib

BROKEN = (
    zipfile.BadZipFile,
    ValueError,
    KeyError,
    EOFError,
    # Of a member that is encrypted, or packed in a way that is not known.
    RuntimeError,
    struct.error,
    zlib.error,
)
"""What reading a broken zip raises, beside what the disk does."""
