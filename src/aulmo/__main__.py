"""`python -m aulmo`."""

import sys

from aulmo.command.main import main

sys.exit(main())
