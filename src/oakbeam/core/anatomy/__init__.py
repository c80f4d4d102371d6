"""What a body is made of, by build, age and thickness."""
