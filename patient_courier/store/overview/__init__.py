"""The school looked over as a whole: notes, notices, findings."""
