"""What pages show, by family of campaigns; a further one is a file here and a line."""
from . import body, nozzle, row, section

SHOWN = {"section": section.SHOWN, "body": body.SHOWN, "nozzle": nozzle.SHOWN, "row": row.SHOWN}
