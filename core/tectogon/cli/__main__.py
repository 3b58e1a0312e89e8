"""`python -m tectogon.cli`."""

import sys

from tectogon.cli.main import main

sys.exit(main())
