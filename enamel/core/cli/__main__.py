"""The command, as `python -m enamel.core.cli`."""

import sys

from enamel.core.cli import main

sys.exit(main())
