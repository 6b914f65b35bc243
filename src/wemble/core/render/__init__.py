"""Job to samples: one renderer, for hearing and for sending."""

from wemble.core.render.plan import RenderPlan

__all__ = ["RenderPlan"]
