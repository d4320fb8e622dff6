"""The window. Knows everything below it; nothing below knows it.

All that is not Qt is imported here, before any module of the window imports Qt: PySide6 hooks every later import and
reads its source, which costs a third of the start and breaks Pydantic's own lazy imports.
"""

import concurrent.futures.thread  # noqa: F401

import dextrum.app.capture
import dextrum.app.commands
import dextrum.app.comparing
import dextrum.app.draw_import
import dextrum.app.handover
import dextrum.app.instruments_at_hand
import dextrum.app.library
import dextrum.app.library_words
import dextrum.app.live_recovery
import dextrum.app.path_words
import dextrum.app.reason_words
import dextrum.app.session
import dextrum.app.trail_words
import dextrum.app.typed
import dextrum.core.advice.order
import dextrum.core.advice.wording
import dextrum.core.board.part_checks
import dextrum.core.reference.tester
import dextrum.core.safety.gates
import dextrum.store.jobs  # noqa: F401
