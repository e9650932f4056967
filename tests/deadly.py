"""A function for workers that kills them."""

import os
import signal
from dataclasses import dataclass


@dataclass(frozen=True)
class Deadly:
    """Kills its worker at some tasks, always or once."""

    marker: str

    def __call__(self, task):
        if task == "always" or (task == "once" and not os.path.exists(self.marker)):
            with open(self.marker, "w"):
                os.kill(os.getpid(), signal.SIGKILL)
        if task == "wrong":
            raise ValueError("seven")
        return f"done {task}"
