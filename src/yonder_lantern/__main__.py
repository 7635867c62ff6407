"""``python -m yonder_lantern`` is ``yonder``."""

from .interface.cli.main import main

if __name__ == "__main__":
    main()
