"""The window. Knows everything below it; nothing below knows it.

All that is not Qt is imported here, before any module of the window imports Qt: PySide6 hooks every later import and
reads its source, which costs a third of the start and breaks Pydantic's own lazy imports.
"""

import dextrum.app.library
import dextrum.app.session
import dextrum.store.jobs  # noqa: F401
