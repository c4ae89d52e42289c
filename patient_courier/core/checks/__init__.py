"""Findings: what is wrong or doubtful in letters, sequences and broadcasts before they are switched on."""

from patient_courier.core.checks.broadcasts import broadcast_findings, with_letter
from patient_courier.core.checks.finding import Finding, Lacking, Mend
from patient_courier.core.checks.school import school_findings, sequence_findings
from patient_courier.core.checks.trials import Drawn
from patient_courier.core.checks.writing import writing_findings

__all__ = [
    "Drawn",
    "Finding",
    "Lacking",
    "Mend",
    "broadcast_findings",
    "school_findings",
    "sequence_findings",
    "with_letter",
    "writing_findings",
]
