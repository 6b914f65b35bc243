"""HTTP in, actions called, JSON or samples out. No rule of the job here."""
