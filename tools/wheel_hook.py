"""Build hook of the wheel: the interface is built first where it is not there, and a wheel without it is never made."""

from __future__ import annotations

import subprocess
from pathlib import Path
from typing import Any

from hatchling.builders.hooks.plugin.interface import BuildHookInterface


class InterfaceHook(BuildHookInterface[Any]):
    """Looks for the built interface before a wheel is packed; an editable install needs none."""

    def initialize(self, version: str, build_data: dict[str, Any]) -> None:
        """Build the interface where it is missing. Raises RuntimeError where that is not possible."""
        del build_data
        page = Path(self.root) / "src" / "oakbeam" / "interface" / "index.html"
        if version == "editable" or page.is_file():
            return
        subprocess.run(["make", "interface"], cwd=self.root, check=False)
        if not page.is_file():
            raise RuntimeError("The interface is not built: run `make interface`, then make the wheel.")
