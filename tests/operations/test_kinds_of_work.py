"""A process knows every kind of long work by what it imports itself; here other tests have imported much already."""

import json
import subprocess
import sys

import pytest

_SAY = "import json, {module}; from tender_ledger.operations import long_work; print(json.dumps(sorted(long_work._KINDS)))"


@pytest.mark.parametrize("module", ["tender_ledger.web.app", "tender_ledger.launch.worker"])
def test_web_server_and_worker_know_every_kind_of_work(module: str):
    said = subprocess.run([sys.executable, "-c", _SAY.format(module=module)], capture_output=True, text=True, check=True)
    assert json.loads(said.stdout) == ["computation", "overwrite", "upload"]
