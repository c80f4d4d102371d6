"""Stand-ins that ship with the application: an invented clinic with a room, a chart and a log."""
