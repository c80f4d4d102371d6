"""What radiation does: rules of thumb, distances and angles, and the physics model."""
