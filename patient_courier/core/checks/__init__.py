"""Findings: what is wrong or doubtful in letters and sequences before they are switched on."""

from patient_courier.core.checks.finding import Finding, Lacking, Mend
from patient_courier.core.checks.school import school_findings, sequence_findings

__all__ = ["Finding", "Lacking", "Mend", "school_findings", "sequence_findings"]
