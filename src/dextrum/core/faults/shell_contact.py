"""A contact of the receptacle that is bent onto the shell, which is ground."""

from __future__ import annotations

from dextrum.core.board.kinds import FaultKind
from dextrum.core.faults.connection import Connection
from dextrum.tongue import tr


class ShellContact(Connection):
    word = FaultKind.SHELL_CONTACT
    words = tr("{t} touches the shell")
    clean_port = 0.35
    blows_feeders = True
