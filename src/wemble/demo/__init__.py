"""The demo: Ferry House, a small river-crossing museum. Everything is invented, and made by a seeded script."""
