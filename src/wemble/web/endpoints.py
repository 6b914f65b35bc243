"""One way to declare an endpoint: method, path, body, answer. Routes and the OpenAPI document come from the same table."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from flask import Blueprint, Response, request
from pydantic import BaseModel, ValidationError
from pydantic.json_schema import models_json_schema

from wemble.errors import InvalidInput
from wemble.web.models import Problem
from wemble.web.serving import library

View = Callable[..., Any]


@dataclass(frozen=True, slots=True)
class Endpoint:
    """What the document says of one endpoint."""

    method: str
    path: str
    name: str
    summary: str
    body: type[BaseModel] | None
    answer: type[BaseModel]


ENDPOINTS: list[Endpoint] = []


def endpoint(
    blueprint: Blueprint, method: str, path: str, *, answer: type[BaseModel], body: type[BaseModel] | None = None
) -> Callable[[View], View]:
    """Register a view: it is given the parsed body first, if there is one, and returns an ``answer``."""

    def register(view: View) -> View:
        summary = (view.__doc__ or "").splitlines()[0]
        ENDPOINTS.append(Endpoint(method, path, view.__name__, summary, body, answer))

        def handle(**path_values: Any) -> Response:
            asked = None if body is None else _parsed(body)
            _check_revision(path_values, asked)
            result = view(**path_values) if asked is None else view(asked, **path_values)
            return Response(result.model_dump_json(), mimetype="application/json")

        blueprint.add_url_rule(path, view.__name__, handle, methods=[method])
        return view

    return register


def _check_revision(path_values: dict[str, Any], asked: BaseModel | None) -> None:
    """Raise `NotFound` if a request speaks of a job and of a revision that is not one of its own."""
    job_id = path_values.get("job_id")
    for name in ("revision", "base_revision"):
        revision = path_values.get(name, getattr(asked, name, None))
        if job_id is not None and revision is not None:
            library().check_revision(job_id, revision)


def _parsed(model: type[BaseModel]) -> BaseModel:
    try:
        return model.model_validate_json(request.get_data())
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        raise InvalidInput(f"{where or 'the body'}: {first['msg']}") from None


def openapi() -> dict[str, Any]:
    """Return the OpenAPI 3.1 document of every endpoint."""
    models = {e.answer for e in ENDPOINTS} | {e.body for e in ENDPOINTS if e.body} | {Problem}
    listed = sorted(models, key=lambda model: model.__name__)
    references, schemas = models_json_schema(
        [(model, "validation" if _is_body(model) else "serialization") for model in listed],
        ref_template="#/components/schemas/{model}",
    )
    named = {model: reference for (model, _), reference in references.items()}
    paths: dict[str, dict[str, Any]] = {}
    for entry in ENDPOINTS:
        paths.setdefault(_braces(entry.path), {})[entry.method.lower()] = _operation(entry, named)
    return {
        "openapi": "3.1.0",
        "info": {"title": "Wemble", "version": "1"},
        "paths": dict(sorted(paths.items())),
        "components": {"schemas": schemas["$defs"]},
    }


def _is_body(model: type[BaseModel]) -> bool:
    return any(entry.body is model for entry in ENDPOINTS)


def _operation(entry: Endpoint, named: dict[Any, Any]) -> dict[str, Any]:
    def content(model: type[BaseModel]) -> dict[str, Any]:
        return {"application/json": {"schema": named[model]}}

    operation: dict[str, Any] = {
        "operationId": entry.name,
        "summary": entry.summary,
        "parameters": [
            {"name": name, "in": "path", "required": True, "schema": {"type": kind}}
            for kind, name in _parameters(entry.path)
        ],
        "responses": {
            "200": {"description": "done", "content": content(entry.answer)},
            "default": {"description": "not done", "content": content(Problem)},
        },
    }
    if entry.body is not None:
        operation["requestBody"] = {"required": True, "content": content(entry.body)}
    return operation


def _parameters(path: str) -> list[tuple[str, str]]:
    parts = [part[1:-1].rpartition(":") for part in path.split("/") if part.startswith("<")]
    return [("integer" if kind == "int" else "string", name) for kind, _, name in parts]


def _braces(path: str) -> str:
    return "/".join("{" + p[1:-1].rpartition(":")[2] + "}" if p.startswith("<") else p for p in path.split("/"))
