"""Holds the published JSON Schema against the demo, the example in the documents and what the program itself writes."""
import json, re, subprocess, sys, tempfile, pathlib
import jsonschema

root = pathlib.Path(__file__).resolve().parent.parent
schema = json.loads((root / "docs/cell.schema.json").read_text())
plain = jsonschema.Draft202012Validator(schema)
plain.check_schema(schema)


def told_apart(validator, branches, instance, whole):
    """oneOf, but what says by a constant that it is something else is not looked into: it cannot hold."""
    def another(branch):
        return any("const" in sub and key in instance and instance[key] != sub["const"]
                   for key, sub in branch.get("properties", {}).items())

    left = [b for b in branches if not another(b)] if isinstance(instance, dict) else branches
    yield from plain.VALIDATORS["oneOf"](validator, left, instance, whole)


validator = jsonschema.validators.extend(jsonschema.Draft202012Validator, {"oneOf": told_apart})(schema)
cli = root / "build/escarp-cli"
passed = failed = 0
made = json.loads(subprocess.check_output([cli, "schema"]))


def check(good, what):
    global passed, failed
    if good:
        passed += 1
    else:
        failed += 1
        print("FAILED:", what, file=sys.stderr)


check(made == schema, "docs/cell.schema.json is what the program says: escarp-cli schema >docs/cell.schema.json")
demo = json.loads((root / "demo/leak-test.escarp").read_text())
check(not list(validator.iter_errors(demo)), "the demo fits the schema")
lenses = json.loads((root / "demo/lens-kitting.escarp").read_text())
check(not list(validator.iter_errors(lenses)), "the second example fits the schema")
example = json.loads(re.search(r"```json\n(\{\n  \"escarp\".*?)```", (root / "docs/file-format.md").read_text(), re.S).group(1))
check(not list(validator.iter_errors(example)), "the example in the documents fits the schema")
with tempfile.NamedTemporaryFile("w", suffix=".escarp") as f:
    json.dump(example, f)
    f.flush()
    run = json.loads(subprocess.check_output([cli, "run", f.name, "--json"]))
    check(abs(run["cycle_s"] - 6) < 1e-6, "the example's cycle is the 6 s that the documents say")
models = json.loads(subprocess.check_output([cli, "catalogue"]))
check(not list(validator.iter_errors({"escarp": 1, "devices": [], **models})), "the catalogue fits the schema")

# One of each kind of equipment, as the program reads it.
equipment = {"escarp": 1, "part_types": models["part_types"], "meshes": [{"id": "m", "name": "Wedge", "pieces": [[0, 0, 0, 100, 0, 0, 0, 100, 0, 0, 0, 100]]}], "views": [], "devices": [
    {"id": "a", "name": "A", "kind": "conveyor", "length_mm": 0, "bend_deg": -90, "radius_mm": 400, "after_mm": 300, "guide_mm": 50, "width_mm": 200, "height_mm": 700, "speed_mm_s": 100},
    {"id": "b", "name": "B", "kind": "tray", "use": "supply", "part_type": "block60", "columns": 2, "rows": 2, "layers": 2, "pitch_x_mm": 90, "pitch_y_mm": 90, "pitch_z_mm": 60, "locked": True, "group": "g"},
    {"id": "c", "name": "C", "kind": "fence", "points_mm": [[0, 0], [3000, 0]], "doors_at_mm": [500]},
    {"id": "d", "name": "D", "kind": "marking", "points_mm": [[0, 0], [3000, 0], [3000, 900]], "closed": True},
    {"id": "e", "name": "E", "kind": "solid", "bodies": [{"shape": "mesh", "mesh": "m"}]},
    {"id": "f", "name": "F", "kind": "outfeed", "shape": "bin", "length_mm": 400, "width_mm": 300, "height_mm": 200},
    {"id": "g", "name": "G", "kind": "fixture", "length_mm": 100, "width_mm": 100, "height_mm": 100, "process_s": 1, "bodies": [{"shape": "mesh", "mesh": "m"}]}]
    + [{"id": "s%d" % i, "name": "S%d" % i, "kind": "structure", "shape": shape, "length_mm": 400, "width_mm": 300, "height_mm": 200} for i, shape in enumerate(["box", "table", "pedestal", "square pedestal", "cabinet", "wall", "column", "fence"])]}
check(not list(validator.iter_errors(equipment)), "one of each kind of equipment fits the schema")
with tempfile.NamedTemporaryFile("w", suffix=".escarp") as f:
    json.dump(equipment, f)
    f.flush()
    check(subprocess.run([cli, "validate", f.name], capture_output=True).returncode == 0, "the program reads one of each kind of equipment")
for index, key, value in [(0, "bend_deg", 270), (1, "layers", 0), (2, "points_mm", [[0, 0]]), (3, "line_mm", 0), (4, "bodies", [])]:
    broken = json.loads(json.dumps(equipment))
    broken["devices"][index][key] = value
    check(list(validator.iter_errors(broken)), f"the schema refuses {key} {value}")
    with tempfile.NamedTemporaryFile("w", suffix=".escarp") as f:
        json.dump(broken, f)
        f.flush()
        check(subprocess.run([cli, "validate", f.name], capture_output=True).returncode == 2, f"the program refuses {key} {value}")

# What the schema refuses the program refuses too, at the same place.
for path, value in [(["devices", 0, "length_mm"], "long"), (["devices", 0, "kind"], "teleporter"), (["devices", 0, "id"], "a b"), (["part_types", 0, "bodies"], []), (["escarp"], 2),
                    (["devices", 4, "task", 0, "do"], "dance"), (["arm_models", 0, "joints", 2, "speed_deg_s"], -1), (["variants"], []), (["takt_s"], -1)]:
    broken = json.loads(json.dumps(demo))
    spot = broken
    for key in path[:-1]:
        spot = spot[key]
    spot[path[-1]] = value
    check(list(validator.iter_errors(broken)), f"the schema refuses {path}")
    with tempfile.NamedTemporaryFile("w", suffix=".escarp") as f:
        json.dump(broken, f)
        f.flush()
        check(subprocess.run([cli, "validate", f.name], capture_output=True).returncode == 2, f"the program refuses {path}")

# Every single change of a cell with everything in it that the schema refuses, the program refuses, and names the place.
everything = json.loads((root / "tests/cases/everything.escarp").read_text())
check(not list(validator.iter_errors(everything)), "the cell with everything in it fits the schema")
TAKEN_AWAY = object()


def nodes(value, path=()):
    """All places of a tree; of a list of plain numbers or texts only the first."""
    yield path, value
    if isinstance(value, dict):
        for key, child in value.items():
            yield from nodes(child, path + (key,))
    elif isinstance(value, list):
        for i, child in enumerate(value if value and isinstance(value[0], (dict, list)) else value[:1]):
            yield from nodes(child, path + (i,))


def changed(tree, path, value):
    if not path:
        return value
    out = dict(tree) if isinstance(tree, dict) else list(tree)
    if len(path) > 1:
        out[path[0]] = changed(tree[path[0]], path[1:], value)
    elif value is TAKEN_AWAY:
        del out[path[0]]
    else:
        out[path[0]] = value
    return out


def kind_of_place(path):
    """Places that differ only in which of several alike elements they lie in have one."""
    words, at = [], everything
    for key in path:
        words.append(str(key) if isinstance(key, str) else "*")
        at = at[key]
        if isinstance(at, dict):
            words += [str(at.get(k)) for k in ("kind", "do", "shape", "type") if k in at]
    return "/".join(words)


def named(path):
    """A path as the program says it: elements of lists by their id."""
    words, at = [], everything
    for key in path:
        at = at[key]
        words.append(at["id"] if isinstance(key, int) and isinstance(at, dict) and isinstance(at.get("id"), str) else str(key))
    return "/".join(words)


seen, changes = set(), []
for path, value in nodes(everything):
    for put in (None, True, 0, 0.5, -1e9, 1e9, "x", "", [], {}, TAKEN_AWAY):
        if not path or (put is not TAKEN_AWAY and put == value and type(put) is type(value)) or (put is TAKEN_AWAY and isinstance(path[-1], int)):
            continue
        key = (kind_of_place(path), "gone" if put is TAKEN_AWAY else repr(put))
        if key not in seen:
            seen.add(key)
            changes.append((path, put))


def alone(path, put):
    """The change with as little around it as the schema asks for: nothing in it looks from one branch into another."""
    top = everything[path[0]]
    if len(path) > 1 and isinstance(path[1], int):
        inner, path_in = only_step(top[path[1]], path[2:])
        tree, path = [inner], (path[0], 0) + path_in
    else:
        tree = top
    return changed({"escarp": 1, "devices": [], path[0]: tree}, path, put)


def only_step(tree, path):
    """Of a task the step alone that the path leads to."""
    if not path:
        return tree, path
    at = tree[path[0]]
    if isinstance(at, list) and len(path) > 1 and isinstance(path[1], int) and isinstance(at[0], dict) and "do" in at[0]:
        inner, rest = only_step(at[path[1]], path[2:])
        return {**tree, path[0]: [inner]}, (path[0], 0) + rest
    return tree, path


refused = [(path, put) for path, put in changes if not validator.is_valid(alone(path, put))]
chosen = set(map(repr, refused))
for path, put in changes[::50]:  # the quicker way says what the plain one says
    check(plain.is_valid(alone(path, put)) == (repr((path, put)) not in chosen), f"both ways agree on {path} set to {put}")
check(len(refused) > 2500, f"{len(refused)} single changes are refused by the schema")
with tempfile.TemporaryDirectory() as folder:
    for begin in range(0, len(refused), 400):
        part = refused[begin:begin + 400]
        names = [f"{folder}/{i}.escarp" for i in range(len(part))]
        for name, (path, put) in zip(names, part):
            pathlib.Path(name).write_text(json.dumps(changed(everything, path, put)))
        answers = json.loads(subprocess.run([cli, "validate", "--json", *names], capture_output=True).stdout)
        for (path, put), answer in zip(part, answers):
            what = f"{named(path)} {'taken away' if put is TAKEN_AWAY else 'set to ' + json.dumps(put)}"
            check(not answer["valid"], f"the program refuses {what}")
            if answer["valid"]:
                continue
            # The place itself, a place around it or within it, or another one that speaks of it (an id that is not there any more).
            place, keys = named(path), [str(k) for k in path if isinstance(k, str)]
            good = any(p["where"].startswith(place) or place.startswith(p["where"]) or keys[-1] in p["where"] + p["message"] for p in answer["problems"])
            check(good, f"the place of {what} is named; said: {answer['problems'][0]}")

print(f"{passed} passed, {failed} failed")
sys.exit(1 if failed else 0)
