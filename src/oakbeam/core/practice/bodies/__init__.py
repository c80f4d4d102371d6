"""Anatomy of our own, made of closed-form solids: one module for each part of the body, in the anatomical frame (x to the
patient's left, y toward the head, z to the front; cm)."""
