"""Print the Debian packages whose libraries Qt's platform plugin needs and this system lacks."""

from __future__ import annotations

import subprocess
from importlib.util import find_spec
from pathlib import Path

PACKAGE_OF = {
    "libxcb-icccm.so.4": "libxcb-icccm4", "libxcb-keysyms.so.1": "libxcb-keysyms1",
    "libxcb-cursor.so.0": "libxcb-cursor0", "libxcb-image.so.0": "libxcb-image0",
    "libxcb-render-util.so.0": "libxcb-render-util0", "libxcb-util.so.1": "libxcb-util1",
    "libxcb-shape.so.0": "libxcb-shape0", "libxcb-xkb.so.1": "libxcb-xkb1",
    "libxcb-randr.so.0": "libxcb-randr0", "libxcb-sync.so.1": "libxcb-sync1",
    "libxcb-xfixes.so.0": "libxcb-xfixes0", "libxcb-shm.so.0": "libxcb-shm0",
    "libxcb-render.so.0": "libxcb-render0", "libxcb-glx.so.0": "libxcb-glx0",
    "libxcb.so.1": "libxcb1", "libX11-xcb.so.1": "libx11-xcb1", "libX11.so.6": "libx11-6",
    "libxkbcommon-x11.so.0": "libxkbcommon-x11-0", "libxkbcommon.so.0": "libxkbcommon0",
    "libEGL.so.1": "libegl1", "libGL.so.1": "libgl1", "libOpenGL.so.0": "libopengl0", "libGLX.so.0": "libglx0",
    "libfontconfig.so.1": "libfontconfig1", "libfreetype.so.6": "libfreetype6", "libdbus-1.so.3": "libdbus-1-3",
    "libglib-2.0.so.0": "libglib2.0-0", "libgthread-2.0.so.0": "libglib2.0-0", "libz.so.1": "zlib1g",
}


def missing_packages() -> list[str]:
    """Sorted package names; a library that isn't in the table is named as it is."""
    spec = find_spec("PySide6")
    if spec is None or spec.origin is None:
        return []
    home = Path(spec.origin).parent
    looked = [home / "Qt/plugins/platforms/libqxcb.so", home / "Qt/plugins/platforms/libqoffscreen.so",
              *home.glob("QtWidgets*.so"), *home.glob("QtGui*.so")]
    found: set[str] = set()
    for library in looked:
        if library.exists():
            said = subprocess.run(["ldd", str(library)], capture_output=True, text=True, check=False).stdout
            for line in said.splitlines():
                name, _, rest = line.strip().partition(" => ")
                if rest.startswith("not found"):
                    found.add(PACKAGE_OF.get(name, name))
    return sorted(found)


if __name__ == "__main__":
    print(" ".join(missing_packages()))
