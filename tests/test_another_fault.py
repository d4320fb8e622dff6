"""One fault more than a set holds: after repairs that took, the unit looks whole to the usual posterior, and once it
has failed often enough, as if repairs had left their faults."""

from __future__ import annotations

import unittest

from dextrum.core.board import Method
from dextrum.core.diagnosis.after_repair import weigh_trail
from dextrum.core.diagnosis.posterior import Posterior
from dextrum.core.trail import (
    AUDIT_STEPS,
    Audit,
    BoardLook,
    Cell,
    Injection,
    PartSeen,
    Payload,
    PointReading,
    Proof,
    RailVolts,
    Readings,
    Supply,
)
from tests.support import as_good, board_out, duo_advice, replaced, trail_of

FAILED = Cell("plugged"), Proof("charge_a", False), Cell("unplugged")


def read(method: Method, **values: float) -> Readings:
    """By points, whose dots are written as _."""
    return Readings(method, tuple(PointReading(p.replace("_", "."), v) for p, v in values.items()))


def volts(**values: float) -> Readings:
    return read(Method.DIODE_RED_GROUND, **values)


def mended(part: str) -> tuple[Payload, ...]:
    return replaced(part), Audit(AUDIT_STEPS, part=part)


OPEN = float("inf")
TWO_MENDED: tuple[Payload, ...] = (
    *board_out("no_charge", "no_start", "no_rails", "fan_still"),
    Supply("a", 3.55, 0.22, pattern="blinking", supply_proved=True), Supply("b", 5.07, 0.06, supply_proved=True),
    volts(J3_1=0.001), Injection("V5V0_FAN", 5.0, 3.0, "C47", "camera", watts=1.0),
    *2 * (read(Method.CAPACITANCE, C47_nF=OPEN),), *mended("C47"), volts(J3_1=0.54, C47_1=0.539), *2 * FAILED,
    volts(C18_1=0.481), RailVolts("VCORE", 0.04, "b"), *2 * (volts(C27_2=0.444),),
    BoardLook("top", (PartSeen("C26", "burst"), PartSeen("C43", "missing"))),
    *2 * (read(Method.CAPACITANCE, C26_nF=OPEN),), *mended("C26"), volts(C26_1=0.518, C27_2=0.444), *2 * FAILED,
    volts(L3_2=0.404, J1_A5=0.57))
COIL_CHANGED: tuple[Payload, ...] = (
    *TWO_MENDED, *mended("L1"), volts(L1_1=0.407, L1_2=0.406, C27_2=0.444), *FAILED,
    *as_good("J1.A4", "J1.A5", "J1.B4", "J1.B5", "R1.2", "C33.1", "L2.2"), RailVolts("VCHG", 8.98, "b"),
    volts(C27_2=0.445))
"""A charger IC that is dead and reads well, behind two shorted capacitors, and a point of its net that the pack has
somewhere else: the coil beside it was changed for that one."""


class AnotherFaultTest(unittest.TestCase):
    def left(self, *payloads: Payload) -> tuple[Posterior, float, float]:
        """With the chance that the charger IC, and that the coil, is at fault still."""
        model = duo_advice().model
        found = weigh_trail(model, trail_of(*COIL_CHANGED, *payloads))
        remaining = found.remaining_rows()
        charger, coil = (float(remaining[model.hypotheses.rows_of_part(part)].sum()) for part in ("U2", "L1"))
        return found, charger, coil

    def test_what_fails_on_after_a_repair_that_took_is_another_fault_however_often_it_fails(self) -> None:
        more: tuple[Payload, ...] = ()
        for failed in (Proof("charge_b", False), RailVolts("SYS", 0.06, "b"), Proof("charge_a", False),
                       Proof("charge_b", False), RailVolts("V3V3", 0.31, "a"), RailVolts("V5V0", 0.2, "a")):
            power = isinstance(failed, Proof)
            more = (*more, *((Cell("plugged"),) if power else ()), failed, *((Cell("unplugged"),) if power else ()))
            found, charger, coil = self.left(*more)
            self.assertEqual(found.since_repair, "L1", f"{len(more)} entries")
            self.assertGreater(charger, 0.6)
            self.assertLess(coil, 0.1)

    def test_a_fuse_that_reads_open_as_before_is_still_the_fuse(self) -> None:
        model, blown = duo_advice().model, read(Method.RESISTANCE, **{"F1_1-2": OPEN})
        trail = (*board_out("no_charge", "no_start"), blown, blown, *mended("F1"), blown, blown, *2 * FAILED)
        remaining = weigh_trail(model, trail_of(*trail)).remaining_rows()
        self.assertGreater(float(remaining[model.hypotheses.rows_of_part("F1")].sum()), 0.8)


if __name__ == "__main__":
    unittest.main()
