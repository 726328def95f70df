"""bin/kentrobar: the command line on the shop's own database, started for it where it is not up."""

from __future__ import annotations

import sys

from kentrobar import cli

from .postgres import GIVEN_URL, Cluster, StartError

WITH_DATABASE = ("backup", "restore", "user", "shelf")


def main(argv: list[str]) -> int:
    if not argv or argv[0] not in WITH_DATABASE or GIVEN_URL:
        return cli.main(argv)
    cluster = Cluster("postgres")
    try:
        if not (cluster.home / "finished").exists():
            raise StartError("there is no shop here yet: start it with bin/serve")
        with cluster.at_hand():
            return cli.main(argv)
    except StartError as trouble:
        print(f"bin/kentrobar: {trouble}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
