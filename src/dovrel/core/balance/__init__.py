"""Proposing a balance: exposure and white, several candidates with reasons."""

from dovrel.core.balance.propose import Candidate, propose

__all__ = ["Candidate", "propose"]
