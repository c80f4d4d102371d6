"""From a chart line, a patient and a set-up to a technique: `derive`."""
