"""Kill a server hundreds of times while it edits, imports and sends: ``bench/kill.py [kills] [seed]``.

After each start everything that was answered must be there, and nothing half-made. Then the data folder is examined.
"""

from __future__ import annotations

import sys
import tempfile
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from tests.conftest import Server
from tests.killer import Killer

from wemble.actions.doctor import examined


def main() -> None:
    kills, seed = (int(word) for word in [*sys.argv[1:], *("200", "1")[len(sys.argv) - 1 :]])
    with tempfile.TemporaryDirectory(prefix="wemble-kill-") as folder:
        server = Server(Path(folder) / "home")
        try:
            killer = Killer(server, Path(folder), seed)
            for number in range(1, kills + 1):
                killer.kill()
                if number % 20 == 0:
                    known = killer.ledger
                    print(
                        f"{number} kills: {known.names[-1]} edits, {len(known.sources)} imports, {len(known.sent)} sends",
                        flush=True,
                    )
        finally:
            server.kill()
        known = killer.ledger
        print(f"{known.names[-1]} edits, {len(known.sources)} imports and {len(known.sent)} sends were answered")
        wrong = [line for fine, line in examined(Path(folder) / "home", check_hashes=True, clean=True) if not fine]
        print(
            f"{kills} kills, seed {seed}: nothing that was answered is lost; wrong in the folder: {wrong or 'nothing'}"
        )


if __name__ == "__main__":
    main()
