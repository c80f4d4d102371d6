"""The web interface of the core: parse, call, shape. No rule of the job lives here."""
