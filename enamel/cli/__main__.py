"""The command, as `python -m enamel.cli`."""

import sys

from enamel.cli import main

sys.exit(main())
