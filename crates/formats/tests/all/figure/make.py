"""Writes arm.glb with pygltflib, and arm.json with where its points must be, worked out here by NumPy alone.

Not run by the tests: it says how the two files beside it came about.
A strip of 5 points over 7 joints in a row, six joints a point; a morph; a clip with straight, stepped and cubic channels; a
second part that a node carries; joints under a node that is turned, moved and scaled.
"""
import json
import numpy as np
from pygltflib import *

rng = np.random.default_rng(5)
blob = b""
views, accessors = [], []

def put(a, kind, component):
    global blob
    blob += b"\0" * (-len(blob) % 4)
    raw = a.tobytes()
    views.append(BufferView(buffer=0, byteOffset=len(blob), byteLength=len(raw)))
    blob += raw
    flat = a.reshape(len(a), -1).astype(float)
    accessors.append(Accessor(bufferView=len(views) - 1, componentType=component, count=len(a), type=kind,
                              min=flat.min(0).tolist(), max=flat.max(0).tolist()))
    return len(accessors) - 1

f32 = lambda x: np.asarray(x, np.float32)
N = 7
positions = f32([[0.1, 0.0, 0], [0.0, 0.5, 0], [0.1, 1.1, 0.1], [-0.1, 1.7, 0], [0.2, 2.4, 0]])
joints = np.array([[0, 1, 2, 3, 4, 5, 0, 0], [1, 0, 2, 3, 4, 6, 0, 0], [2, 1, 3, 0, 4, 5, 0, 0],
                   [3, 2, 4, 1, 5, 6, 0, 0], [6, 5, 4, 3, 2, 1, 0, 0]], np.uint8)
weights = rng.random((5, 8)).astype(np.float32)
weights[:, 6:] = 0
weights /= weights.sum(1, keepdims=True)
added = f32(rng.normal(0, 0.1, (5, 3)))
triangles = np.array([0, 1, 2, 1, 2, 3, 2, 3, 4], np.uint16)
q = f32([0.0, np.sin(0.2), 0.0, np.cos(0.2)])
root = dict(t=f32([0.3, 0.1, -0.2]), r=q, s=f32([1.5, 1.5, 1.5]))
rest = [f32([0, 0.0 if k == 0 else 0.4, 0]) for k in range(N)]

def mat(t, r, s):
    x, y, z, w = np.asarray(r, float) / np.linalg.norm(r)
    m = np.eye(4)
    m[:3, :3] = np.array([[1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
                          [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
                          [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)]]) * np.asarray(s, float)
    m[:3, 3] = t
    return m

one = [0, 0, 0, 1]
bind, m = [], np.eye(4)
for k in range(N):
    m = m @ mat(rest[k], one, [1, 1, 1])
    bind.append(np.linalg.inv(m))
inverse = f32([b.T for b in bind])

# The clip: joint 2 turns straight, joint 4 steps, joint 1 moves along a cubic, the morph comes and goes, the lid moves.
times = f32([0.0, 0.5, 1.25])
turn2 = f32([[0, 0, 0, 1], [0, 0, np.sin(0.6), np.cos(0.6)], [np.sin(0.3), 0, 0, np.cos(0.3)]])
turn4 = f32([[0, 0, 0, 1], [0, 0, np.sin(0.4), np.cos(0.4)], [0, 0, 0, 1]])
cubic = f32([[0, 0, 0], [0, 0.4, 0], [0.5, 0, 0], [0.1, 0, 0], [0.2, 0.5, 0.1], [0, 0.3, 0], [0, 0, 0.2], [0, 0.4, 0], [0, 0, 0]])
amount = f32([0.0, 1.0, 0.25])
lid = f32([[0, 0, 0], [0, 1, 0], [2, 1, 0]])

att = Attributes(POSITION=put(positions, "VEC3", 5126), JOINTS_0=put(joints[:, :4].copy(), "VEC4", 5121),
                 WEIGHTS_0=put(weights[:, :4].copy(), "VEC4", 5126), JOINTS_1=put(joints[:, 4:].copy(), "VEC4", 5121),
                 WEIGHTS_1=put(weights[:, 4:].copy(), "VEC4", 5126))
strip = Mesh(name="strip", weights=[0.0], primitives=[Primitive(attributes=att, indices=put(triangles.reshape(-1, 1), "SCALAR", 5123),
             targets=[{"POSITION": put(added, "VEC3", 5126)}])])
plate = f32([[0, 0, 0], [1, 0, 0], [0, 0, 1]])
plate_mesh = Mesh(name="lid", primitives=[Primitive(attributes=Attributes(POSITION=put(plate, "VEC3", 5126)))])
nodes = [Node(name=f"bone {k}", translation=rest[k].tolist(), children=[k + 1] if k + 1 < N else []) for k in range(N)]
nodes.append(Node(name="root", translation=root["t"].tolist(), rotation=root["r"].tolist(), scale=root["s"].tolist(), children=[0]))
nodes.append(Node(name="strip", mesh=0, skin=0))
nodes.append(Node(name="lid", mesh=1))
t_in = put(times.reshape(-1, 1), "SCALAR", 5126)
samplers, channels = [], []
def channel(node, path, values, kind, how):
    samplers.append(AnimationSampler(input=t_in, output=put(values, kind, 5126), interpolation=how))
    channels.append(AnimationChannel(sampler=len(samplers) - 1, target=AnimationChannelTarget(node=node, path=path)))
channel(2, "rotation", turn2, "VEC4", "LINEAR")
channel(4, "rotation", turn4, "VEC4", "STEP")
channel(1, "translation", cubic, "VEC3", "CUBICSPLINE")
channel(8, "weights", amount.reshape(-1, 1), "SCALAR", "LINEAR")
channel(9, "translation", lid, "VEC3", "LINEAR")
skin = Skin(joints=list(range(N)), inverseBindMatrices=put(inverse.reshape(N, 16), "MAT4", 5126))
gltf = GLTF2(scene=0, scenes=[Scene(nodes=[7, 8, 9])], nodes=nodes, meshes=[strip, plate_mesh], skins=[skin],
             animations=[Animation(name="Wave", samplers=samplers, channels=channels)], bufferViews=views, accessors=accessors,
             buffers=[Buffer(byteLength=len(blob))])
gltf.set_binary_blob(blob)
gltf.save("arm.glb")

def slerp(a, b, t):
    a, b = np.asarray(a, float), np.asarray(b, float)
    d = a @ b
    if d < 0:
        b, d = -b, -d
    th = np.arccos(min(d, 1))
    return b if th < 1e-9 else (np.sin((1 - t) * th) * a + np.sin(t * th) * b) / np.sin(th)

def at(t):
    k = 0 if t < times[1] else 1
    h = float(times[k + 1] - times[k])
    s = min(max((t - float(times[k])) / h, 0), 1)
    p, m, n, r = cubic[3 * k + 1], cubic[3 * k + 2], cubic[3 * k + 3], cubic[3 * k + 4]
    c = (2 * s**3 - 3 * s**2 + 1) * p + (s**3 - 2 * s**2 + s) * h * m + (3 * s**2 - 2 * s**3) * r + (s**3 - s**2) * h * n
    world = mat(**root)
    pose = []
    for j in range(N):
        r = slerp(turn2[k], turn2[k + 1], s) if j == 2 else (turn4[k] if s < 1 else turn4[k + 1]) if j == 4 else one
        world = world @ mat(c if j == 1 else rest[j], r, [1, 1, 1])
        pose.append(world @ bind[j])
    a = (1 - s) * amount[k] + s * amount[k + 1]
    out = []
    for i in range(5):
        v = np.append(positions[i] + a * added[i], 1)
        out.append(sum(weights[i, j] * (pose[joints[i, j]] @ v) for j in range(8))[:3].tolist())
    shift = (1 - s) * lid[k] + s * lid[k + 1]
    return out + (plate + shift).tolist()

json.dump([{"time": t, "points": at(t)} for t in [0.0, 0.2, 0.5, 0.9, 1.25]], open("arm.json", "w"), indent=1)
