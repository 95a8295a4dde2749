"""What hostile files make of their readers."""

import os
import signal
import time

import numpy as np

from aulmo.document.apart import apart
from aulmo.errors import BadFile


@apart(seconds=4.0, gigabytes=1.0, process="hostile")
def attacked(name: str, how: str):
    """A reader that comes to harm."""
    if how == "dies":
        os.kill(os.getpid(), signal.SIGSEGV)
    if how == "hangs":
        time.sleep(60)
    if how == "fills":
        return np.ones(1 << 33)
    if how == "deep":
        return attacked(name, how)
    if how == "told":
        raise BadFile(f"{name} is wrong.")
    return {"pid": os.getpid(), "large": np.arange(400_000.0)}
