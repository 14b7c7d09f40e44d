"""Proposing a balance: exposure and white, several candidates with reasons."""

from dovrel.core.balance.hearing import ALONE, Heard, Others, Testimony, hear
from dovrel.core.balance.propose import Candidate, propose

__all__ = ["ALONE", "Candidate", "Heard", "Others", "Testimony", "hear", "propose"]
