"""How a job can end, in words."""

RESULTS = {"repaired": "repaired", "no_fault": "no fault found", "returned": "returned as it was",
           "donor": "not repaired, kept for parts", "": "still open"}
