"""Reads X12 files with pyx12's maps of the implementation guides, and prints what it finds: file, segment, error, words."""

import io
import logging
import sys

import pyx12.error_handler
import pyx12.params
import pyx12.x12n_document


def findings(name):
    said = io.StringIO()
    handler = logging.StreamHandler(said)
    log = logging.getLogger("pyx12")
    log.handlers = [handler]
    log.setLevel(logging.ERROR)
    log.propagate = False
    param = pyx12.params.params()
    with open(name, encoding="ascii") as file:
        whole = pyx12.x12n_document.x12n_document(param, file, None, None, None)
    handler.flush()
    lines = [line for line in said.getvalue().splitlines() if line.strip()]
    if not whole and not lines:
        lines = ["the file is not taken"]
    return lines


for name in sys.argv[1:]:
    for line in findings(name):
        print(f"{name.rsplit('/', 1)[-1]}\t{line}")
