"""What an edit answers, as the interface takes it."""

from __future__ import annotations

from wemble.actions.revisions import Answer
from wemble.web import models


def edit_answer(answer: Answer) -> models.EditAnswer:
    """Return the body of an edit's answer."""
    changes = [
        models.ChangeBody.model_construct(
            kind=change.kind,
            entity_id=change.entity_id,
            after=change.after,
        )
        for change in answer.changes
    ]
    return models.EditAnswer.model_construct(
        revision=answer.revision,
        changes=changes,
        notes=list(answer.notes),
        undo_label=answer.undo_label,
        redo_label=answer.redo_label,
    )
