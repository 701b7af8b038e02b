#!/usr/bin/env python3
"""Small good files for the fuzzer to mangle: seeds.py FOLDER."""

import base64
import json
import pathlib
import struct
import sys
import zlib

out = pathlib.Path(sys.argv[1])
out.mkdir(parents=True, exist_ok=True)
corner = [(x, y, z) for z in (0, 45) for y in (0, 80) for x in (0, 120)]
faces = [(0, 2, 1), (1, 2, 3), (4, 5, 6), (5, 7, 6), (0, 1, 4), (1, 5, 4), (2, 6, 3), (3, 6, 7), (0, 4, 2), (2, 4, 6), (1, 3, 5), (3, 7, 5)]

binary = b" " * 80 + struct.pack("<I", len(faces))
for f in faces:
    binary += struct.pack("<3f", 0, 0, 0) + b"".join(struct.pack("<3f", *corner[i]) for i in f) + b"\0\0"
(out / "binary.stl").write_bytes(binary)
text = "solid block\n"
for f in faces:
    text += "facet normal 0 0 1\nouter loop\n" + "".join("vertex %g %g %g\n" % corner[i] for i in f) + "endloop\nendfacet\n"
(out / "text.stl").write_text(text + "endsolid block\n")
(out / "block.obj").write_text("mtllib none.mtl\no block\n" + "".join("v %g %g %g\n" % c for c in corner) + "vn 0 0 1\nusemtl a\n" + "".join("f %d//1 %d//1 %d//1\n" % tuple(i + 1 for i in f) for f in faces) + "f 1 2 4 3\n")
(out / "block.ply").write_text("ply\nformat ascii 1.0\ncomment none\nelement vertex 8\nproperty float x\nproperty float y\nproperty float z\nelement face 12\nproperty list uchar int vertex_indices\nend_header\n" + "".join("%g %g %g\n" % c for c in corner) + "".join("3 %d %d %d\n" % f for f in faces))
raw = b"".join(struct.pack("<3f", *c) for c in corner) + b"".join(struct.pack("<3H", *f) for f in faces)
gltf = {"asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}], "nodes": [{"mesh": 0, "translation": [0, 1, 0], "children": [1]}, {"mesh": 0, "scale": [2, 2, 2]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}], "materials": [{"pbrMetallicRoughness": {"baseColorFactor": [0.5, 0.4, 0.3, 1]}}],
        "buffers": [{"uri": "data:application/octet-stream;base64," + base64.b64encode(raw).decode(), "byteLength": len(raw)}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 96}, {"buffer": 0, "byteOffset": 96, "byteLength": 72}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 8, "type": "VEC3", "min": [0, 0, 0], "max": [120, 80, 45]}, {"bufferView": 1, "componentType": 5123, "count": 36, "type": "SCALAR"}]}
(out / "block.gltf").write_text(json.dumps(gltf, indent=1))

lines = []


def add(what):
    lines.append("#%d=%s;" % (len(lines) + 1, what))
    return "#%d" % len(lines)


app = add("APPLICATION_CONTEXT('design')")
pc = add("PRODUCT_CONTEXT(''," + app + ",'mechanical')")
product = add("PRODUCT('p','p','',(" + pc + "))")
form = add("PRODUCT_DEFINITION_FORMATION('',''," + product + ")")
dc = add("PRODUCT_DEFINITION_CONTEXT('part definition'," + app + ",'design')")
definition = add("PRODUCT_DEFINITION('d',''," + form + "," + dc + ")")
shape = add("PRODUCT_DEFINITION_SHAPE('',''," + definition + ")")
mm = add("(LENGTH_UNIT()NAMED_UNIT(*)SI_UNIT(.MILLI.,.METRE.))")
rad = add("(NAMED_UNIT(*)PLANE_ANGLE_UNIT()SI_UNIT($,.RADIAN.))")
sr = add("(NAMED_UNIT(*)SI_UNIT($,.STERADIAN.)SOLID_ANGLE_UNIT())")
un = add("UNCERTAINTY_MEASURE_WITH_UNIT(LENGTH_MEASURE(1.E-07)," + mm + ",'d','')")
context = add("(GEOMETRIC_REPRESENTATION_CONTEXT(3)GLOBAL_UNCERTAINTY_ASSIGNED_CONTEXT((" + un + "))GLOBAL_UNIT_ASSIGNED_CONTEXT((" + mm + "," + rad + "," + sr + "))REPRESENTATION_CONTEXT('',''))")
point = [add("CARTESIAN_POINT('',(%f,%f,%f))" % c) for c in corner]
vertex = [add("VERTEX_POINT(''," + p + ")") for p in point]
edges = {}


def edge(a, b):
    key = (min(a, b), max(a, b))
    if key not in edges:
        d = key[0] ^ key[1]
        direction = add("DIRECTION('',(%f,%f,%f))" % (d == 1, d == 2, d == 4))
        edges[key] = add("EDGE_CURVE(''," + vertex[key[0]] + "," + vertex[key[1]] + "," + add("LINE(''," + point[key[0]] + "," + add("VECTOR(''," + direction + ",1.)") + ")") + ",.T.)")
    return add("ORIENTED_EDGE('',*,*," + edges[key] + (",.T.)" if a < b else ",.F.)"))


made = []
for loop, n, r in (((0, 2, 3, 1), (0, 0, -1), (1, 0, 0)), ((4, 5, 7, 6), (0, 0, 1), (1, 0, 0)), ((0, 1, 5, 4), (0, -1, 0), (1, 0, 0)), ((2, 6, 7, 3), (0, 1, 0), (1, 0, 0)), ((0, 4, 6, 2), (-1, 0, 0), (0, 1, 0)), ((1, 3, 7, 5), (1, 0, 0), (0, 1, 0))):
    around = ",".join(edge(loop[i], loop[(i + 1) % 4]) for i in range(4))
    bound = add("FACE_OUTER_BOUND(''," + add("EDGE_LOOP('',(" + around + "))") + ",.T.)")
    axis = add("AXIS2_PLACEMENT_3D(''," + point[loop[0]] + "," + add("DIRECTION('',(%f,%f,%f))" % n) + "," + add("DIRECTION('',(%f,%f,%f))" % r) + ")")
    made.append(add("ADVANCED_FACE('',(" + bound + ")," + add("PLANE(''," + axis + ")") + ",.T.)"))
solid = add("MANIFOLD_SOLID_BREP(''," + add("CLOSED_SHELL('',(" + ",".join(made) + "))") + ")")
representation = add("ADVANCED_BREP_SHAPE_REPRESENTATION('',(" + solid + ")," + context + ")")
add("SHAPE_DEFINITION_REPRESENTATION(" + shape + "," + representation + ")")
(out / "block.step").write_text("ISO-10303-21;\nHEADER;\nFILE_DESCRIPTION((''),'2;1');\nFILE_NAME('b','2026-01-01T00:00:00',(''),(''),'','','');\nFILE_SCHEMA(('AUTOMOTIVE_DESIGN'));\nENDSEC;\nDATA;\n" + "\n".join(lines) + "\nENDSEC;\nEND-ISO-10303-21;\n")

packed = struct.pack("<II6d", 8, 12, 0, 0, 0, 0.12, 0.08, 0.045) + b"".join(struct.pack("<3H", *(65535 if v else 0 for v in c)) for c in corner) + b"".join(struct.pack("<3I", *f) for f in faces)
(out / "surface.txt").write_text(base64.b64encode(struct.pack("<I", len(packed)) + zlib.compress(packed)).decode())
# A session's records: the whole cell, edits of it, the whole once more, a drag that did not end. The sums are not right;
# the fuzzer writes its own.
whole = json.loads((pathlib.Path(__file__).parents[2] / "demo/leak-test.escarp").read_text())
some, other = whole["devices"][0]["id"], whole["devices"][1]["id"]
records = [{"file": "", "saved": True, "whole": whole},
           {"name": "takt", "operations": [{"at": "/takt_s", "value": 7.5}]},
           {"name": "name", "operations": [{"at": "/devices/" + some + "/name", "value": "Other"}]},
           {"name": "all", "whole": whole},
           {"name": "drag", "draft": {"variant": whole["baseline"], "operations": [{"at": "/devices/" + other + "/placement/x_mm", "value": 100}]}}]
(out / "journal.edits").write_text("".join("%d %016x\n%s\n" % (len(text), 0, text) for text in map(json.dumps, records)))
(out / "expressions.txt").write_text("""b1.made and not arm2.at_tester
kit.count < 4 or (a.b == c.d and kit.count - 2 >= -1.5)
not (a.b or not c.d) and on != off
3 + kit.count - 0.25 <= 7e2
""")
(out / "ask.json").write_text(json.dumps({"id": "few", "name": "Few", "asks": "sweep", "look_at": ["cycle_s"],
                                          "vary": [{"at": "/devices/tester/process_s", "from": 1, "to": 4, "steps": 6}]}))
(out / "arm.urdf").write_text("""<?xml version="1.0"?>
<robot name="two">
 <material name="grey"><color rgba="0.5 0.5 0.5 1"/></material>
 <link name="base"><visual><origin xyz="0 0 0.1" rpy="0 0 0"/><geometry><cylinder radius="0.08" length="0.2"/></geometry><material name="grey"/></visual><inertial><mass value="4"/><inertia ixx="1" ixy="0" ixz="0" iyy="1" iyz="0" izz="1"/></inertial></link>
 <link name="upper"><collision><geometry><box size="0.1 0.1 0.4"/></geometry></collision></link>
 <link name="hand"><visual><geometry><sphere radius="0.05"/></geometry></visual></link>
 <link name="finger"/>
 <joint name="j1" type="revolute"><parent link="base"/><child link="upper"/><origin xyz="0 0 0.2"/><axis xyz="0 0 1"/><limit lower="-2" upper="2" velocity="2" effort="10"/></joint>
 <joint name="j2" type="prismatic"><parent link="upper"/><child link="hand"/><origin xyz="0 0 0.4" rpy="0 1.57 0"/><axis xyz="1 0 0"/><limit lower="0" upper="0.3" velocity="0.5" effort="10"/></joint>
 <joint name="j3" type="revolute"><parent link="hand"/><child link="finger"/><axis xyz="0 1 0"/><mimic joint="j1" multiplier="-1" offset="0.1"/><limit lower="-2" upper="2" velocity="2" effort="10"/></joint>
</robot>
""")
