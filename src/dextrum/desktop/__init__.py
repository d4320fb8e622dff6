"""The window. Knows everything below it; nothing below knows it.

All that is not Qt is imported here, before any module of the window imports Qt: PySide6 hooks every later import and
reads its source, which costs a third of the start and breaks Pydantic's own lazy imports.
"""

import concurrent.futures.thread  # noqa: F401

import dextrum.app.advising.path_words
import dextrum.app.advising.reason_words
import dextrum.app.bench.instruments_at_hand
import dextrum.app.commands
import dextrum.app.handover.handover
import dextrum.app.job.session
import dextrum.app.job.trail_words
import dextrum.app.library.library
import dextrum.app.library.library_words
import dextrum.app.reading.capture
import dextrum.app.reading.comparing
import dextrum.app.reading.typed
import dextrum.app.supply.draw_import
import dextrum.app.supply.live_recovery
import dextrum.core.advice.order
import dextrum.core.advice.wording
import dextrum.core.board.part_checks
import dextrum.core.reference.tester
import dextrum.core.safety.gates
import dextrum.store.jobs  # noqa: F401
