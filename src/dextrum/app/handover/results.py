"""How a job can end, in words."""

from dextrum.tongue import tr

RESULTS = {"repaired": tr("repaired"), "no_fault": tr("no fault found"), "returned": tr("returned as it was"),
           "donor": tr("not repaired, kept for parts"), "": tr("still open")}
