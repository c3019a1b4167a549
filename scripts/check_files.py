"""Holds files of one motion against each other, read by readers that are not Nematon's own. Usage: check_files.py FOLDER READERS"""
import io
import json
import pathlib
import subprocess
import sys
import zipfile

import numpy
from plyfile import PlyData
from pxr import Usd, UsdGeom, UsdValidation

NEAR = 1e-4
folder, readers = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2])
faults = []


def hold(what, fine, why=""):
    if not fine:
        faults.append(f"{what}: {why}")


def frames_of(stem):
    """What NumPy reads: of each frame its points, those that are there."""
    whole = folder / f"{stem}.npy"
    if whole.exists():
        return list(numpy.load(whole).astype(float))
    with numpy.load(folder / f"{stem}.npz") as all:
        ends = numpy.cumsum(all["count"])
        return [p.astype(float) for p in numpy.split(all["position"], ends[:-1])]


def alike(what, ours, theirs):
    if len(ours) != len(theirs):
        return hold(what, False, f"{len(theirs)} frames, and {len(ours)} were written")
    for k, (a, b) in enumerate(zip(ours, theirs)):
        if a.shape != b.shape:
            return hold(what, False, f"frame {k} has {b.shape} for {a.shape}")
        off = float(numpy.abs(a - b).max()) if a.size else 0.0
        if not off < NEAR:
            return hold(what, False, f"frame {k} is {off:.2e} m off")


def usd(path, stem, ours, ids):
    stage = Usd.Stage.Open(str(path))
    registry = UsdValidation.ValidationRegistry()
    context = UsdValidation.ValidationContext(registry.GetOrLoadAllValidators())
    for e in context.Validate(stage):
        hold(path.name, False, f"{e.GetName()}: {e.GetMessage()}")
    prim = stage.GetDefaultPrim()
    times = numpy.arange(stage.GetStartTimeCode(), stage.GetEndTimeCode() + 1)
    attribute = {
        "PointInstancer": lambda: UsdGeom.PointInstancer(prim).GetPositionsAttr(),
    }.get(prim.GetTypeName(), lambda: UsdGeom.PointBased(prim).GetPointsAttr())()
    theirs = [numpy.array(attribute.Get(t) or numpy.zeros((0, 3)), dtype=float).reshape(-1, 3) for t in times]
    if prim.GetTypeName() == "BasisCurves":
        # Each branch begins with the point that it comes from: the same places, some of them twice.
        for k, (a, b) in enumerate(zip(ours, theirs)):
            there = {tuple(numpy.round(p / NEAR / 4)) for p in a}
            hold(path.name, len(b) >= len(a) * 0.5, f"{len(b)} points of {len(a)}")
            near = sum(min(numpy.abs(a - p).max(axis=1)) < NEAR for p in b[:50])
            hold(path.name, near == len(b[:50]) and there, f"frame {k} has points that are nowhere")
        return prim.GetTypeName()
    alike(path.name, ours, theirs)
    if prim.GetTypeName() == "Mesh":
        mesh = UsdGeom.Mesh(prim)
        valid, why = UsdGeom.Mesh.ValidateTopology(
            mesh.GetFaceVertexIndicesAttr().Get(), mesh.GetFaceVertexCountsAttr().Get(), len(theirs[0])
        )
        hold(path.name, valid, why)
        hold(path.name, mesh.GetNormalsInterpolation() == "vertex", "normals are not one a point")
        ways = [numpy.array(mesh.GetVelocitiesAttr().Get(t), dtype=float) for t in times]
        middle = (theirs[2] - theirs[0]) * stage.GetTimeCodesPerSecond() / 2
        hold(path.name, numpy.abs(ways[1] - middle).max() < 1e-3, "velocities are not how places go")
    return prim.GetTypeName()


def same_usd(a, b):
    """Text and binary say the same, attribute by attribute."""
    one, other = Usd.Stage.Open(str(a)), Usd.Stage.Open(str(b))
    keys = lambda s: sorted(str(p.GetPath()) for p in s.Traverse())
    hold(b.name, keys(one) == keys(other), "other things in it than in the text")
    for p in one.Traverse():
        q = other.GetPrimAtPath(p.GetPath())
        mine, theirs = p.GetAuthoredPropertyNames(), q.GetAuthoredPropertyNames()
        hold(b.name, sorted(mine) == sorted(theirs), f"{p.GetPath()} has {theirs} for {mine}")
        hold(b.name, p.GetAppliedSchemas() == q.GetAppliedSchemas(), f"{p.GetPath()} has other schemas")
        for x in p.GetAuthoredAttributes():
            y = q.GetAttribute(x.GetName())
            hold(b.name, x.GetTypeName() == y.GetTypeName(), f"{x.GetPath()} is of another type")
            hold(b.name, x.GetTimeSamples() == y.GetTimeSamples(), f"{x.GetPath()} has other samples")
            hold(b.name, x.GetVariability() == y.GetVariability(), f"{x.GetPath()} varies otherwise")
            hold(b.name, x.GetConnections() == y.GetConnections(), f"{x.GetPath()} is led elsewhere")
            for t in [Usd.TimeCode.Default(), *x.GetTimeSamples()]:
                u, v = x.Get(t), y.Get(t)
                if x.GetTypeName().type.typeName.find("Quath") >= 0:
                    # Text has four digits of a turn.
                    u, v = ([list(i.imaginary) + [i.real] for i in w or []] for w in (u, v))
                if u is None or v is None:
                    hold(b.name, u is None and v is None, f"{x.GetPath()} has a value at {t} in one of them alone")
                    continue
                try:
                    u, v = numpy.array(u, dtype=float), numpy.array(v, dtype=float)
                    fine = u.shape == v.shape and (u.size == 0 or numpy.nanmax(numpy.abs(u - v)) < 2e-3)
                except (TypeError, ValueError):
                    fine = u == v
                hold(b.name, fine, f"{x.GetPath()} has another value at {t}")
        for x in p.GetAuthoredRelationships():
            y = q.GetRelationship(x.GetName())
            hold(b.name, x.GetTargets() == y.GetTargets(), f"{x.GetPath()} leads elsewhere")


def glb(path):
    script = (
        "const v = require('gltf-validator'), fs = require('fs');"
        "const at = process.argv[1], beside = u => Promise.resolve(new Uint8Array(fs.readFileSync(at.replace(/[^/]*$/, decodeURIComponent(u)))));"
        "v.validateBytes(new Uint8Array(fs.readFileSync(at)), {maxIssues: 1000, externalResourceFunction: beside})"
        ".then(r => console.log(JSON.stringify(r.issues)))"
    )
    told = subprocess.run(["node", "-e", script, str(path.resolve())], cwd=readers, capture_output=True, text=True)
    issues = json.loads(told.stdout)
    bad = [m for m in issues["messages"] if m["severity"] < 2]
    hold(path.name, not bad, json.dumps(bad[:3]))


def sequence(path, read, ours):
    with zipfile.ZipFile(path) as z:
        names = sorted(n for n in z.namelist() if n.endswith((".obj", ".ply")))
        alike(path.name, ours, [read(z.read(n)) for n in names])


def obj(bytes):
    rows = [line.split()[1:4] for line in bytes.decode().splitlines() if line.startswith("v ")]
    return numpy.array(rows, dtype=float).reshape(-1, 3)


def ply(bytes):
    v = PlyData.read(io.BytesIO(bytes))["vertex"]
    return numpy.stack([v["x"], v["y"], v["z"]], axis=1).astype(float)


for text in sorted(folder.glob("*.usda")):
    stem = text.stem
    ours = frames_of(stem)
    kind = usd(text, stem, ours, None)
    usd(text.with_suffix(".usdc"), stem, ours, None)
    same_usd(text, text.with_suffix(".usdc"))
    glb(text.with_suffix(".glb"))
    with zipfile.ZipFile(folder / f"{stem}.gltf.zip") as z:
        z.extractall(folder / "gltf")
    glb(folder / "gltf" / f"{stem}.gltf")
    sequence(folder / f"{stem}.ply.zip", ply, ours)
    if kind in ("Mesh", "Points") and (folder / f"{stem}.npy").exists():
        sequence(folder / f"{stem}.obj.zip", obj, ours)
    print(f"  {stem}: {kind}, {len(ours)} frames of {len(ours[0])} points; "
          f"USD text {text.stat().st_size:,} bytes, binary {text.with_suffix('.usdc').stat().st_size:,}")
for f in faults[:20]:
    print(f"  {f}", file=sys.stderr)
sys.exit(1 if faults else 0)
