"""Checks the description of the door, and the door by it, with tools that nobody here wrote.

    flindo demo --listen 127.0.0.1:8790 --data /tmp/door.bench
    python3 reference/check_door.py http://127.0.0.1:8790 [CALLS]

openapi-spec-validator checks the description; openapi-python-client makes a client of it, which does the work of docs/SCRIPTS.md (a panel, a
test with a plan, its readings, its assessment); schemathesis sends CALLS generated requests (3,000 without) and holds every answer against
the description. The bench is a throw-away: it is written to.
"""

import importlib
import json
import re
import subprocess
import sys
import tempfile
import urllib.request
from pathlib import Path

from openapi_spec_validator import validate

# Bodies that these tools cannot make: packages, tables and reports.
LEFT_OUT = "bench.zip|panels.csv|recompute"
CHECKS = "not_a_server_error,status_code_conformance,content_type_conformance,response_schema_conformance"


def client_of(description, folder):
    path = Path(folder) / "openapi.json"
    path.write_text(json.dumps(description))
    made = Path(folder) / "client"
    tool = Path(sys.executable).with_name("openapi-python-client")
    subprocess.run([tool, "generate", "--path", path, "--output-path", made, "--meta", "none"], check=True, capture_output=True)
    sys.path.insert(0, folder)
    return importlib.import_module("client")


def work(base):
    """The work of docs/SCRIPTS.md; answers the verdict of a level at 80 % of its baseline."""

    def call(operation, body_type=None, body=None, **named):
        module = importlib.import_module(f"client.api.default.{operation}")
        if body_type:
            body = getattr(importlib.import_module("client.models"), body_type).from_dict(body)
        if body is not None:
            named["body"] = body
        answer = module.sync_detailed(client=client, **named)
        assert answer.status_code < 300, (operation, answer.content)
        return json.loads(answer.content)

    client = importlib.import_module("client").Client(base_url=base)
    kind = {"name": "Ochre 100", "rated_w": 100, "voc_v": 22.3, "isc_a": 5.9, "vmp_v": 18.4, "imp_a": 5.44, "cells_in_series": 36}
    call("post_panels", "PanelBody", {"tag": "Door-1", "kind": kind})
    plan = {"baseline": {"shade": "none"}, "levels": [{"shade": "band across 20 %"}], "order": "aba", "settle_s": 0}
    test = {"question": "shade_cost", "panel": "Door-1", "setup": {"tilt_deg": 30, "load": "load_tester", "sun": "nothing"}, "plan": plan}
    made = call("post_tests", "TestBody", test)
    lines = [("80.0 W", 0), ("64.0 W", 1), ("80.2 W", 2)]
    readings = [
        {"uid": f"door-check-{nth}", "typed": typed, "run": made["runs"][nth]["id"], "taken_utc": f"2026-06-21T11:{20 + nth}:00Z"}
        for typed, nth in lines
    ]
    call("post_tests_id_readings", body=readings, id=made["id"])
    assert len(call("get_tests_id_readings", id=made["id"])["items"]) == 3
    return call("get_tests_id_assessment", id=made["id"])


def main():
    base = sys.argv[1]
    calls = int(sys.argv[2]) if len(sys.argv) > 2 else 3000
    description = json.load(urllib.request.urlopen(f"{base}/api/v1/openapi.json"))
    validate(description)
    operations = sum(len(path) for path in description["paths"].values())
    print(f"{operations} operations, described as OpenAPI {description['openapi']} has it")
    with tempfile.TemporaryDirectory() as folder:
        client_of(description, folder)
        found = work(base)
        percent = found["levels"][0]["percent"]
        assert abs(percent - 79.9) < 0.2, found
        print(f"a generated client has done a test: {found['headline']}")
    tool = Path(sys.executable).with_name("st")
    command = [tool, "run", f"{base}/api/v1/openapi.json", "--checks", CHECKS, "--phases", "fuzzing"]
    command += ["--max-examples", str(calls * 3 // (2 * operations) + 1), "--exclude-path-regex", LEFT_OUT]
    out = subprocess.run(command, capture_output=True, text=True)
    print("\n".join(re.findall(r"^.*(?:generated|passed).*$", out.stdout, re.M)))
    if out.returncode:
        print(out.stdout[max(out.stdout.find("= FAILURES ="), 0):])
    sys.exit(out.returncode)


if __name__ == "__main__":
    main()
