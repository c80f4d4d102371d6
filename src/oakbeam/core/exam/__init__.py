"""Exams as ordered steps, and what changes from view to view."""
