"""`python -m tinquire` is `tinquire`."""

import sys

from tinquire.cli.main import main

sys.exit(main())
