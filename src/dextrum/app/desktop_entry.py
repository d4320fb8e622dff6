"""A place in the desktop: menu entry, icon and file types, for this user alone, and their removal."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
from pathlib import Path

from dextrum.app.places import shipped
from dextrum.errors import DextrumError, why_not

NAME = "dextrum"
JOB_TYPE, PACK_TYPE = "application/x-dextrum-job+json", "application/x-dextrum-pack+zip"
TYPES = f"""<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{JOB_TYPE}">
    <comment>Dextrum job</comment>
    <glob pattern="*.job.json" weight="60"/>
  </mime-type>
  <mime-type type="{PACK_TYPE}">
    <comment>Dextrum board pack</comment>
    <glob pattern="*.pack.zip" weight="60"/>
  </mime-type>
</mime-info>
"""
REFRESH_SECONDS = 20


def _data_home() -> Path:
    """By the XDG base directory specification."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def _places() -> dict[str, Path]:
    home = _data_home()
    return {"menu entry": home / "applications" / f"{NAME}.desktop",
            "icon": home / "icons" / "hicolor" / "scalable" / "apps" / f"{NAME}.svg",
            "file types": home / "mime" / "packages" / f"{NAME}.xml"}


def _command() -> str:
    """How this very program is started: by its own launcher, else by its Python."""
    launcher = os.environ.get("DEXTRUM_LAUNCHER", "")
    if launcher and Path(launcher).is_file():
        return _quoted(launcher)
    found = shutil.which(NAME)
    return _quoted(found) if found else f"{_quoted(sys.executable)} -m {NAME}"


def _quoted(argument: str) -> str:
    """As an argument of Exec: in double quotes, not a shell's, with both levels of escaping (Desktop Entry
    Specification, "The Exec key" and "string" values)."""
    for special in ("\\", '"', "`", "$"):
        argument = argument.replace(special, f"\\{special}")
    quoted = '"' + argument.replace("%", "%%") + '"'
    return quoted.replace("\\", "\\\\")


def entry_text() -> str:
    """The desktop entry. Its window class is the one that the program gives its windows."""
    return "\n".join((
        "[Desktop Entry]", "Type=Application", "Name=Dextrum", "GenericName=Repair bench",
        "Comment=Handhelds and controllers that will not charge or will not dock", f"Exec={_command()} run %F",
        f"Icon={NAME}", "Terminal=false", "Categories=Electronics;Engineering;", f"StartupWMClass={NAME}",
        f"MimeType={JOB_TYPE};{PACK_TYPE};", "Actions=demo;", "", "[Desktop Action demo]", "Name=Demo bench",
        f"Exec={_command()} demo", ""))


def install() -> list[str]:
    """Write all three; what was written, a line each. Raises DextrumError."""
    texts = {"menu entry": entry_text(), "file types": TYPES,
             "icon": (shipped() / "marks" / "dextrum.svg").read_text(encoding="utf-8")}
    said: list[str] = []
    for what, place in _places().items():
        try:
            place.parent.mkdir(parents=True, exist_ok=True)
            place.write_text(texts[what], encoding="utf-8")
        except OSError as problem:
            raise DextrumError(f"The {what} can't be written ({why_not(problem)}).", "\n".join(said) or
                               "Nothing was written.", "Look at the rights of the folder, then try again.") from None
        said.append(f"Written: {what}, {place}")
    _refresh()
    return [*said, "Undo it with: dextrum install-desktop --remove"]


def remove() -> list[str]:
    """Take all three away; what is not there is not missed. Raises DextrumError."""
    said: list[str] = []
    for what, place in _places().items():
        if place.exists():
            try:
                place.unlink()
            except OSError as problem:
                raise DextrumError(f"The {what} can't be removed ({why_not(problem)}).",
                                   "\n".join(said) or "Nothing was removed.",
                                   "Look at the rights of the folder, then try again.") from None
            said.append(f"Removed: {what}, {place}")
    _refresh()
    return said or ["Nothing was installed."]


def _refresh() -> None:
    """Tell the desktop, by the tools that are there; without them it sees the change at the next login."""
    home = _data_home()
    for tool, folder in (("update-mime-database", home / "mime"), ("update-desktop-database", home / "applications")):
        found = shutil.which(tool)
        if found and folder.is_dir():
            subprocess.run([found, str(folder)], check=False, capture_output=True, timeout=REFRESH_SECONDS)
