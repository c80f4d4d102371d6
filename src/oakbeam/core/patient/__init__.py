"""The patient as far as the technique needs to know them: thickness, conditions, posture, tube angle."""
