"""A process knows every kind of long work by what it imports itself; here other tests have imported much already."""

import json
import subprocess
import sys

_SAY = """import json
from tender_ledger.operations import long_work
from tender_ledger.web.app import create_app
create_app({"DATABASE_URL": "postgresql://nobody@localhost/nothing", "TENDER_SECRET": "a secret"})
print(json.dumps(sorted(long_work._KINDS)))"""


def test_web_server_and_worker_know_every_kind_of_work():
    said = subprocess.run([sys.executable, "-c", _SAY], capture_output=True, text=True, check=True)
    assert json.loads(said.stdout) == ["computation", "overwrite", "page", "upload"]
