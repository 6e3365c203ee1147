"""Loaded into Python programs (PYTHONPATH), it notes which call of logging wrote a text, as formats.c does."""
import logging
import os
import re
import sys

_notes = os.environ.get("LAB_NOTES")
_WRAPPER = re.compile(r"/[a-z_]*log(ger|gers|ging|_utils|util)?\.py$|/logging/")


def _site(record):
    """Place of the call that wrote a record, above the program's own wrappers of logging."""
    frame = sys._getframe(2)
    site = "%s:%d" % (record.pathname, record.lineno)
    inside = False
    while frame is not None:
        name = frame.f_code.co_filename
        if name == logging.__file__ or _WRAPPER.search(name):
            inside = True
        elif inside:
            site = "%s:%d" % (name, frame.f_lineno)
            inside = False
        frame = frame.f_back
    return site


if _notes:
    _file = os.open(_notes, os.O_WRONLY | os.O_CREAT | os.O_APPEND, 0o666)
    _format = logging.Handler.format

    def _noted(self, record):
        text = _format(self, record)
        os.write(_file, ("%s\x1f%s\x1e" % (_site(record), text)).encode("utf-8", "replace"))
        return text

    logging.Handler.format = _noted
