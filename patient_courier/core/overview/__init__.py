"""The school looked over as a whole: who is told what, its findings, its week."""
