"""How texts are compared where people look for things."""

from __future__ import annotations

import re

# The forms of SCSI and NVMe names, which hosts put before the serial.
DEVICE_ID_FORM = re.compile(r"^(naa|eui|nguid|uuid)\.", re.IGNORECASE)


def in_one_form(text: str) -> str:
    """How a text is compared with what the database keeps in ``searched``."""
    return DEVICE_ID_FORM.sub("", text.strip()).lower().replace(":", "")
