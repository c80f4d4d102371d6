"""Drills: a task by seed, an answer, and a judgement with its reason. `register.DRILLS` holds them all."""
