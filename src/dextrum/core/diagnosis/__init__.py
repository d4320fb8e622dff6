"""Faults, likelihood, posterior, explanation."""

from dextrum.core.diagnosis.evidence import Evidence, EvidenceItem, gather_evidence
from dextrum.core.diagnosis.model import DiagnosisModel, build_model
from dextrum.core.diagnosis.posterior import (
    Posterior,
    Reason,
    Suspect,
    posterior_over_rows,
    reasons,
    suspects,
)

__all__ = ["DiagnosisModel", "Evidence", "EvidenceItem", "Posterior", "Reason", "Suspect", "build_model",
           "gather_evidence", "posterior_over_rows", "reasons", "suspects"]
