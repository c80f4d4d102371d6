"""The physics model: physics behind every ratio. `model.evaluate` is the whole of it; the other modules are its parts."""
