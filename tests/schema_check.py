"""Holds the published JSON Schema against the demo, the example in the documents and what the program itself writes."""
import json, re, subprocess, sys, tempfile, pathlib
import jsonschema

root = pathlib.Path(__file__).resolve().parent.parent
schema = json.loads((root / "docs/cell.schema.json").read_text())
validator = jsonschema.Draft202012Validator(schema)
validator.check_schema(schema)
cli = root / "build/escarp-cli"
passed = failed = 0


def check(good, what):
    global passed, failed
    if good:
        passed += 1
    else:
        failed += 1
        print("FAILED:", what, file=sys.stderr)


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

print(f"{passed} passed, {failed} failed")
sys.exit(1 if failed else 0)
