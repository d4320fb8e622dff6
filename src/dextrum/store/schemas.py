"""The JSON Schemas that are published: of a pack's files as they lie on the disk, and of an exported job.

They are made from the classes that check the files, and every field carries a description: the class's own words where
it has them ('name: what it is.' in its docstring), else those of `WORDS`.
"""

from __future__ import annotations

import re
from typing import Any

from pydantic import TypeAdapter

import dextrum.core.board.model as board_model
from dextrum.core import looks, trail
from dextrum.core.board import Board
from dextrum.core.board import fasteners as board_fasteners
from dextrum.core.board import procedures as board_procedures
from dextrum.core.reference.known_good import KnownGoodReading
from dextrum.store.entries import payload_schema

DRAFT = "https://json-schema.org/draft/2020-12/schema"
FILES = {"components": "components.json", "nets": "nets.csv", "points": "points.csv"}
"""Sections of a pack that may stand in files of their own."""
WORDS = {
    "pack_id": "The pack's own name: letters, digits and hyphens, the same as its folder's.",
    "model": "The model's name as the bench calls it.", "short_name": "The model in a word, for a tag.",
    "name": "A name, unique among its kind.", "revision": "The revision printed on the board.",
    "outline_mm": "Corners of the board's outline in mm.", "nets": "What is joined by copper.",
    "components": "The parts on the board.", "points": "Places that can be probed.",
    "ports": "Receptacles with their contacts.", "access_levels": "How far the unit can be opened, in order.",
    "failure_rates": "How often kinds of part fail in which way, relative to each other.",
    "traces": "Copper that can break, with what is then cut off.",
    "functions": "What must work, as parts, nets and other functions; or the functions something needs.",
    "symptoms": "What an owner may say, and codes the device shows.", "draw_states": "What a power meter may show.",
    "draw_outcomes": "Which draw states follow from what is broken; the first row that is broken decides.",
    "repair_rules": "What an action on a kind of part takes away.", "checks": "The proof, check by check.",
    "circuit": "The circuit template that the functions follow.", "template": "Its id.",
    "sources": "Where facts come from; what none is said of is believed.",
    "of": "What it is about: 'net U1.5' of one end, 'functions'.",
    "times": "How often it was seen so.", "sure": "Chance that it is so, where somebody has said.",
    "kits": "Small boards that take the place of a part.", "within": "Share of it that is allowed.",
    "off": "What it means where it is not so.",
    "rail_checks": "Rails that can be read with power at the port.", "cautions": "Warnings of this model's own.",
    "prior_nothing": "Share of units that come in with nothing wrong.",
    "prior_something_else": "Share of units with something this pack does not list.",
    "unit_value": "What a working unit is worth, in the shop's currency.",
    "donor_value": "What a unit is worth for its parts, in the shop's currency.",
    "share_of_two": "Share of faulty boards with two faults.",
    "share_of_three": "Share of faulty boards with three faults.",
    "supply_class_default": "The class of supply this model is usually read on.",
    "id": "A name for other places to refer to.", "words": "What is shown on screen and paper.",
    "minutes": "Minutes of work.", "views": "Views in which it is shown.",
    "capacity_mah": "Charge of a new cell in mAh.", "series_ohms": "Ohms of cell, leads and path.",
    "precharge_share": "Share of the capacity up to which the cell is charged gently.",
    "boot_share": "Share of the capacity from which the unit starts.", "empty_volts": "Volts of an empty cell.",
    "full_volts": "Volts at which charging is held.", "end_amps": "Amps at which charging ends.",
    "efficiency": "Of the charger, 0.3 to 1.", "system_watts": "Watts the unit takes for itself while charging.",
    "spread": "Spread of the capacity between cells, as a share.", "designator": "As printed beside the part.",
    "kind": "Of which kind it is.", "purpose": "What the part does, in words.", "terminals": "Its pins, in order.",
    "side": "Side of the board.", "x_mm": "Across, in mm.", "y_mm": "Along, in mm.", "width_mm": "Width in mm.",
    "height_mm": "Height in mm.", "ohms": "Ohms in series.", "nanofarads": "Of a capacitor: what it is to have.",
    "heat_sensitive": "Shield it from heat.",
    "price": "What one costs; 0 where it cannot be bought.",
    "undescribed": "Whether it stands for what nobody has described yet.",
    "failure_factor": "Times as likely to fail as its kind.",
    "number": "The contact as breakouts count it, from 1.", "signal": "The contact's signal.",
    "broken": "The function that is broken; {o} stands for the orientation; empty for the healthy board.",
    "states": "Chance of each draw state, 'unknown' among them.", "supply_class": "Class of supply.",
    "meaning": "What the state tends to mean.", "volts": "Volts.", "volts_spread": "Spread of the volts.",
    "amps": "Amps.", "amps_spread": "Spread of the amps.", "pattern": "How the draw moves.",
    "followed_by": "States that may come next.", "period_seconds": "Seconds of one on and off.",
    "mode": "The way of failing.", "weight": "How often, relative to the others.", "parts": "Parts.",
    "nets_through": "Nets that must be neither open nor shorted.", "nets_clear": "Nets that must not be shorted.",
    "role": "What a net is for.", "nominal_volts": "Volts of the rail when it is up.", "at": "PART.TERMINAL, "
    "PART.CONTACT/tail or @NET.", "access": "How far the unit must be open.", "to": "The second probe's place.",
    "component": "Designator of the receptacle.", "contacts": "Contacts.", "one_node": "Contacts that are one node.",
    "twins": "Pairs of contacts that read alike.", "visible_row": "The row whose tails can be seen.",
    "orientation": "Which way up the plug is: a or b.", "point": "Id of a point.",
    "least_volts": "From here on the rail is up.", "action": "What is done.", "mends": "Kinds of fault it takes away.",
    "risk": "Chance of harm.", "weights": "Chance of showing for each function that is broken.",
    "leak": "Chance of being said without any of them broken.", "is_code": "Whether it is a code on the screen.",
    "flat_cell": "Chance of showing while the cell is flat.", "net": "Name of a net.",
    "junction_volts": "Volts at 1 mA with red on ground.", "forward_volts": "Volts at 1 mA with black on ground.",
    "ohms_to_ground": "A resistive load inside the part.", "far_terminals": "What a break cuts off: PART.TERMINAL.",
    "board_serial": "Serial of the board that was read.", "method": "How it was read.", "meter": "Which meter read it.",
    "value": "Volts or ohms; OL for open.", "board_celsius": "Temperature of the board in degrees Celsius.",
    "taken_on": "Date, year first.", "cell": "The unit's cell, or the condition of it.",
    "level": "Id of an access level.", "checked": "Steps of the audit that were made.", "note": "Free words.",
    "seen": "Parts that are not as they should be.", "what": "What it is about.", "advice": "What to stop using.",
    "state": "State from here on.", "signs": "Signs of danger.", "samples": "Packed samples, see job-format.",
    "count": "How many samples.", "seconds": "Length in seconds.", "source": "Where it came from.",
    "refused": "Rows that could not be read.", "missing": "Samples the source left out.",
    "supply_proved": "Whether all of the gear once proved good.", "switched": "Whether the unit was switched on.",
    "position": "How the plug sat.", "gear": "Supply, cable and dock in use.", "proved_on": "Day it last proved good.",
    "warmed": "The part that warmed, empty for none.", "seen_by": "How it was looked for.",
    "complaint": "In the owner's words.", "present": "Ids of symptoms that are there.",
    "absent": "Ids of symptoms that are not.", "history": "What happened before.", "came_along": "What came with it.",
    "condition": "How it looks.", "due": "When it must be back.", "serial": "The unit's label.",
    "findings": "What was seen.", "result": "How it ended.", "gate": "Id of the gate that was passed.",
    "reason": "Why.", "part": "Designator, or 'trace NAME'.", "wavering": "The value would not settle.",
    "check": "Id of a check.", "passed": "Whether it passed.", "rail": "Id of a rail check.",
    "readings": "Points with their values.", "test_milliamps": "The meter's current in mA.",
    "turned": "Whether the tester sat the other way up.", "audit": "Steps of the audit made at once.",
    "entry": "Id of the entry that no longer counts.", "minute": "Minutes since plugging in.",
    "named": "Id of a draw state that was named.", "symptom": "Id of a symptom.", "gone": "Whether it went.",
    "between": "What the probes touched.", "expected": "Of a good part.", "good": "Whether it is as of a good part.",
    "repairs": "Repairs in their order.", "recipe": "Id of a recipe.", "skipped": "Why it was left out.",
    "why": "What it waits for.", "until": "A time in the bench's own clock.",
}


def _from_docstring(name: str) -> dict[str, str]:
    """'field: what it is' of a class's docstring, by field."""
    found = next((getattr(module, name) for module in (board_model, board_procedures, board_fasteners, trail, looks)
                  if hasattr(module, name)), None)
    if name == KnownGoodReading.__name__:
        found = KnownGoodReading
    text = " ".join(((getattr(found, "__doc__", "") or "") if found is not None else "").split())
    return {m[1]: m[2].strip().rstrip(";.") + "." for m in re.finditer(
        r"(?:^|[.;] )([a-z_0-9]+): (.+?)(?=(?:[.;] [a-z_]+(?:, [a-z_]+)*: )|$)", text)}


def _described(name: str, schema: dict[str, Any]) -> dict[str, Any]:
    own = _from_docstring(name)
    for field, what in schema.get("properties", {}).items():
        if field in own or field in WORDS:
            what["description"] = own.get(field, WORDS.get(field, ""))
    return schema


def pack_schema() -> dict[str, Any]:
    """Of pack.json; under $defs also of components.json, and of the rows of nets.csv, points.csv and known_good.csv."""
    schema: dict[str, Any] = TypeAdapter(Board).json_schema()
    definitions: dict[str, Any] = schema.pop("$defs")
    rows = TypeAdapter(KnownGoodReading).json_schema()
    definitions |= rows.pop("$defs", {})
    definitions["KnownGoodRow"] = rows
    rows["properties"]["value"] = {"anyOf": [{"type": "number"}, {"const": "OL"}]}
    definitions["ComponentsFile"] = {
        "type": "object", "description": "components.json: all parts of the board.", "additionalProperties": False,
        "properties": {"components": {"type": "array", "items": {"$ref": "#/$defs/Component"},
                                      "description": WORDS["components"]}}}
    for name, one in definitions.items():
        _described("KnownGoodReading" if name == "KnownGoodRow" else name, one)
    _described("Board", schema)
    schema["properties"] = {
        "format": {"const": "dextrum-pack", "description": "What this file is."},
        "schema": {"const": 1, "description": "The version of this format."}, **schema["properties"]}
    schema["required"] = ["format", "schema", *schema.get("required", [])]
    for section, file in FILES.items():
        schema["properties"][section]["description"] += f" They may stand in {file} instead."
    return {"$schema": DRAFT, "title": "Dextrum board pack: pack.json", **schema, "$defs": definitions}


def job_schema() -> dict[str, Any]:
    """Of an exported job. Readings hold the word OL for open."""
    payload: dict[str, Any] = payload_schema()
    definitions: dict[str, Any] = payload.pop("$defs")
    payload.pop("discriminator", None)
    for name, one in definitions.items():
        _described(name, one)
    for name, field in (("PointReading", "value"), ("ReadAlone", "value"), ("ReadAlone", "expected")):
        definitions[name]["properties"][field] = {
            "anyOf": [{"type": "number"}, {"const": "OL"}], "description": WORDS[field]}
    entry = {
        "type": "object", "additionalProperties": False, "required": ["id", "at", "who", "version", "payload"],
        "properties": {
            "id": {"type": "string", "minLength": 1, "maxLength": 64, "description": "Unique over all benches."},
            "at": {"type": "string", "description": "When, with a time zone."},
            "who": {"type": "string", "description": "Who recorded it."},
            "version": {"type": "integer", "minimum": 1, "description": "Of the payload's kind."},
            "payload": {**payload, "description": "What was observed or done; 'kind' says which."}}}
    return {"$schema": DRAFT, "title": "Dextrum job", "type": "object", "additionalProperties": False,
            "required": ["format", "schema", "entries"], "$defs": {**definitions, "Entry": entry},
            "properties": {
                "format": {"const": "dextrum-job", "description": "What this file is."},
                "schema": {"const": 1, "description": "The version of this format."},
                "entries": {"type": "array", "minItems": 1, "items": {"$ref": "#/$defs/Entry"},
                            "description": "The trail in order; the first opens the job."}}}
