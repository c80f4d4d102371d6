"""The shipped files for running it: their commands are commands, their limits fit, the handbook names every option."""

from __future__ import annotations

import re
import shlex
import shutil
import subprocess
from pathlib import Path

import pytest

from oakbeam import cli
from oakbeam.api.rules import BODIES

ROOT = Path(__file__).parents[1]
DEPLOY = ROOT / "deploy"


def commands():
    for file in sorted(DEPLOY.iterdir()):
        text = file.read_text(encoding="utf-8")
        for line in re.findall(r"^ExecStart=(.*)$", text, re.M):
            yield file.name, shlex.split(line)[1:]
        for listed in re.findall(r'^CMD \["oakbeam", (.*)\]$', text, re.M):
            yield file.name, [part.strip('"') for part in listed.split(", ")]


@pytest.mark.parametrize(("file", "arguments"), list(commands()), ids=lambda one: one if isinstance(one, str) else "")
def test_every_command_is_one(file, arguments):
    assert cli._parser().parse_args(arguments).run
    assert "--data" not in arguments  # the folder is the environment's


def test_there_are_as_many_commands_as_files_that_run_something():
    assert [name for name, _ in commands()] == [
        "Containerfile",
        "oakbeam-backup.service",
        "oakbeam-backup.service",
        "oakbeam-dicom.service",
        "oakbeam.service",
    ]


def test_a_proxy_lets_through_what_the_application_takes():
    for name, found in (("nginx.conf", r"client_max_body_size (\d+)m;"), ("Caddyfile", r"max_size (\d+)MB")):
        text = (DEPLOY / name).read_text(encoding="utf-8")
        (most,) = re.findall(found, text)
        assert max(BODIES.values()) < int(most) * 1_000_000 < 1.1 * max(BODIES.values())
        assert "/api/metrics" in text and "127.0.0.1:8321" in text
        # A caller's own word for who they are never gets through.
        assert re.search(r'^\s*(proxy_set_header X-Person "";|header_up -X-Person)$', text, re.M)


def test_units_are_shut_in():
    """Every unit's own rating, by the system's own judge: 10 is open to all, under 2 it calls OK."""
    judge = shutil.which("systemd-analyze")
    for unit in sorted(DEPLOY.glob("*.service")):
        text = unit.read_text(encoding="utf-8")
        for wanted in ("SystemCallFilter=@system-service", "MemoryMax=", "TasksMax=", "ProtectSystem=strict", "UMask=0077"):
            assert wanted in text, (unit.name, wanted)
        if judge:
            command = [judge, "security", "--offline=true", "--no-pager", str(unit)]
            said = subprocess.run(command, capture_output=True, text=True, check=True).stdout
            assert float(re.findall(r"exposure level for \S+: ([\d.]+)", said)[0]) < 2, unit.name


def test_the_handbook_names_every_option_of_serving():
    told = (ROOT / "docs" / "running.md").read_text(encoding="utf-8")
    parser = cli._parser()
    serve = parser._subparsers._group_actions[0].choices["serve"]
    for action in serve._actions:
        for option in action.option_strings:
            if option.startswith("--") and option != "--help":
                assert f"`{option}`" in told or f"{option}" in told, option
    for name in re.findall(r"\]\(\.\./deploy/([^)]+)\)", told):
        assert (DEPLOY / name).is_file(), name
    assert {path.name for path in DEPLOY.iterdir()} == set(re.findall(r"\]\(\.\./deploy/([^)]+)\)", told))
