"""``python -m movelot_standins``: all stand-ins, settings from the environment."""

import os
from pathlib import Path

from movelot_standins.run import Settings, main

if __name__ == "__main__":
    pace = os.environ.get("MOVELOT_STANDIN_PACE")
    main(
        Settings(
            folder=Path(os.environ.get("MOVELOT_STANDIN_FOLDER", ".run/standins")),
            port=int(os.environ.get("MOVELOT_STANDIN_PORT", "9443")),
            control_port=int(os.environ.get("MOVELOT_CONTROL_PORT", "0")),
            pace=float(pace) if pace else None,
            size=os.environ.get("MOVELOT_STANDIN_SIZE", "demo"),
            quiet=os.environ.get("MOVELOT_STANDIN_QUIET") == "1",
        )
    )
