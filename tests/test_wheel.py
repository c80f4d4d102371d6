"""The wheel works away from this folder: the interface is in it, its dependencies are named, and it serves from anywhere."""

from __future__ import annotations

import ast
import json
import os
import re
import shutil
import socket
import stat
import subprocess
import sys
import time
import urllib.request
import zipfile
from contextlib import closing
from pathlib import Path

import pytest

import oakbeam

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def wheel(tmp_path_factory) -> Path:
    folder = tmp_path_factory.mktemp("wheel")
    build = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation", "-w", str(folder), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True)
    (made,) = folder.glob("oakbeam-*.whl")
    return made


@pytest.fixture(scope="module")
def installed(wheel, tmp_path_factory) -> dict[str, str]:
    """The environment of a machine that has the wheel and not the checkout."""
    folder = tmp_path_factory.mktemp("site")
    with zipfile.ZipFile(wheel) as packed:
        packed.extractall(folder)
    return {**os.environ, "PYTHONPATH": str(folder), "PYTHONSAFEPATH": "1"}


def run(installed, cwd, *arguments, given=""):
    command = [sys.executable, "-m", "oakbeam.cli", *arguments]
    return subprocess.run(command, cwd=cwd, env=installed, input=given, capture_output=True, text=True, timeout=120)


def test_every_package_that_is_imported_is_named(wheel):
    with zipfile.ZipFile(wheel) as packed:
        (about,) = (name for name in packed.namelist() if name.endswith("METADATA"))
        said = packed.read(about).decode()
    named = {re.split(r"[<>=]", one)[0] for one in re.findall(r"^Requires-Dist: (\S+)", said, re.M)}
    imported = set()
    for file in (ROOT / "src").rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text(encoding="utf-8"))):
            names = [a.name for a in node.names] if isinstance(node, ast.Import) else []
            names += [node.module or ""] if isinstance(node, ast.ImportFrom) and not node.level else []
            imported |= {name.split(".")[0] for name in names}
    foreign = imported - set(sys.stdlib_module_names) - {"oakbeam", ""}
    called = {"argon2": "argon2-cffi", "PIL": "pillow", "prometheus_client": "prometheus-client"}
    # What the server itself takes where it is there: its figures rest on them.
    served_by = {"httptools", "uvloop"}
    assert {called.get(name, name) for name in foreign} | served_by == named
    assert f"Version: {oakbeam.__version__}" in said


def test_every_file_of_the_package_is_in_it(wheel):
    with zipfile.ZipFile(wheel) as packed:
        inside = set(packed.namelist())
    package = ROOT / "src" / "oakbeam"
    files = {str(one.relative_to(ROOT / "src")) for one in package.rglob("*") if one.is_file() and one.suffix != ".pyc"}
    assert len(files) > 300 and files - inside == set()
    with zipfile.ZipFile(wheel) as packed:
        licences = packed.read("oakbeam/interface/licences.md").decode()
    described = json.loads((ROOT / "web" / "package.json").read_text(encoding="utf-8"))
    assert described["version"] == oakbeam.__version__
    bundled = set(re.findall(r"^## (\S+) - ", licences, re.M))
    # "radix-ui" is a name for the packages of the interface's parts; they are named themselves.
    assert {one for one in described["dependencies"] if one != "radix-ui"} <= bundled and "@radix-ui/react-select" in bundled
    assert "SIL OPEN FONT LICENSE" in licences


def test_built_twice_it_is_the_same_bytes(wheel, tmp_path):
    build = [sys.executable, "-m", "pip", "wheel", "-q", "--no-deps", "--no-build-isolation", "-w", str(tmp_path), str(ROOT)]
    subprocess.run(build, check=True, capture_output=True)
    assert (tmp_path / wheel.name).read_bytes() == wheel.read_bytes()


def test_it_serves_the_interface_and_the_demo_from_anywhere(installed, tmp_path, demo_file):
    where = run(installed, tmp_path, "--version").stdout.strip()
    assert where == oakbeam.__version__
    (tmp_path / "data").mkdir()
    shutil.copy(demo_file, tmp_path / "data")
    seeded = run(installed, tmp_path, "seed")
    assert (seeded.returncode, seeded.stdout) == (0, "The demo clinic is there already; nothing was added.\n")
    with closing(socket.socket()) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "oakbeam.cli", "serve", "--port", str(port)]
    server = subprocess.Popen(command, cwd=tmp_path, env=installed)
    try:
        for _ in range(300):
            try:
                page = urllib.request.urlopen(f"http://127.0.0.1:{port}/desk", timeout=2).read().decode()
                break
            except OSError:
                time.sleep(0.1)
        script = re.search(r'src="(/assets/[^"]+\.js)"', page)
        assert script
        assert urllib.request.urlopen(f"http://127.0.0.1:{port}{script[1]}", timeout=5).status == 200
    finally:
        server.terminate()
        server.wait(20)


def test_an_empty_folder_is_served_only_where_it_is_asked_for(installed, tmp_path):
    for command in (("serve",), ("backup", "copy.db")):
        done = run(installed, tmp_path, *command)
        assert done.returncode == 2
        assert len(done.stderr.strip().splitlines()) == 1
    assert list(tmp_path.iterdir()) == []


def test_a_reader_that_has_enough_is_no_traceback(installed, tmp_path):
    cases = '[{"kvp": 80, "thickness_cm": 20, "sid_cm": 100, "field_cm": [35, 43]}' + (
        ', {"kvp": 70, "thickness_cm": 10, "sid_cm": 100, "field_cm": [20, 20]}' * 400 + "]"
    )
    (tmp_path / "cases.json").write_text(cases)
    line = f"{sys.executable} -m oakbeam.cli beam < cases.json | head -1"
    done = subprocess.run(line, shell=True, cwd=tmp_path, env=installed, capture_output=True, text=True, timeout=120)
    assert done.stdout.strip() == "["
    assert done.stderr == ""


def test_the_setup_code_goes_to_its_owners_file_and_not_to_the_log(installed, tmp_path):
    with closing(socket.socket()) as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    command = [sys.executable, "-m", "oakbeam.cli", "--data", "own", "serve", "--new", "--port", str(port)]
    server = subprocess.Popen(command, cwd=tmp_path, env=installed, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    kept = tmp_path / "own" / "setup-code.txt"
    try:
        for _ in range(300):
            if kept.is_file() and kept.read_text().endswith("\n"):
                break
            time.sleep(0.1)
        code = kept.read_text().strip()
        assert len(code) >= 20
        assert stat.S_IMODE(kept.stat().st_mode) == 0o600
        assert stat.S_IMODE((tmp_path / "own" / "oakbeam.db").stat().st_mode) == 0o600
    finally:
        server.terminate()
        said = server.communicate(timeout=20)[0].decode()
    assert "setup-code.txt" in said
    assert code not in said
