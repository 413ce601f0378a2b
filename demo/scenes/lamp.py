"""A signal lamp on its iron bracket, a red lens lit from within, dusk on a brick wall."""

import math

import numpy as np
from numba import njit

from demo.paint import bloom
from demo.sdf import (
    FAST,
    box,
    brick,
    camera,
    capsule,
    carve,
    cylinder,
    fbm,
    lighting,
    mix,
    noise,
    render,
    smoothstep,
    sphere,
    torus,
    union,
)

SIZE = (1536, 2048)
IRON, LENS, RIM, WALL, RIVET, HANDLE = 1, 2, 3, 4, 5, 6


@njit(**FAST)
def shape(x, y, z, out):
    joint, number = brick(x + 40, y + 40, 1.3, 0.45, 0.05)
    best = z + 1.7 - 0.06 * joint - 0.03 * number - 0.015 * fbm(x * 9, y * 9, 1.0, 3)
    material = WALL
    body = box(x, y, z, 0.78, 1.0, 0.7, 0.1) - 0.006 * fbm(x * 14, y * 14, z * 14, 3)
    tube = cylinder(x, z - 0.75, y, 0.66, 0.32, 0.03)
    body = union(body, tube, 0.05)
    body = carve(body, cylinder(x, z - 1.0, y, 0.55, 0.3, 0.02), 0.03)
    roof = max(box(x, y - 1.12, z, 0.9, 0.16, 0.82, 0.05), y - 1.3 + 0.18 * (x * x + z * z))
    chimney = cylinder(x, y - 1.5, z, 0.36, 0.28, 0.04)
    cowl = cylinder(x, y - 1.82, z, 0.5, 0.07, 0.05)
    for fin in range(3):
        cowl = min(cowl, cylinder(x, y - 1.38 - 0.12 * fin, z, 0.41, 0.022, 0.02))
    body = min(body, min(union(roof, chimney, 0.1), cowl))
    foot = min(
        box(x, y + 1.12, z, 0.9, 0.09, 0.8, 0.04), box(x, y + 1.35, z + 0.3, 0.25, 0.2, 0.9, 0.05)
    )
    arm = min(
        box(x, y + 1.62, z + 0.7, 0.32, 0.12, 1.2, 0.04),
        capsule(x, y, z, 0, -1.7, 0.2, 0, -2.9, -1.6, 0.13, 0.16),
    )
    body = min(body, min(foot, arm))
    if body < best:
        best, material = body, IRON
    lens = sphere(x, y, z - 0.2, 0.86)
    lens = max(lens, cylinder(x, z - 0.9, y, 0.55, 0.3, 0.01))
    rings = math.sqrt(x * x + y * y)
    lens -= 0.018 * math.sin(rings * 52)
    if lens < best:
        best, material = lens * 0.7, LENS
    rim = torus(x, y, z - 1.05, 0.6, 0.06)
    if rim < best:
        best, material = rim, RIM
    handle = torus(x, y - 1.55, z, 0.66, 0.045)
    handle = max(handle, 1.35 - y)
    if handle < best:
        best, material = handle, HANDLE
    for side in range(6):
        angle = side * math.pi / 3 + 0.5
        rivet = sphere(x - 0.7 * math.cos(angle), y - 0.7 * math.sin(angle), z - 0.7, 0.05)
        if rivet < best:
            best, material = rivet, RIVET
    for side in range(5):
        rivet = sphere(abs(x) - 0.68, y + 0.85 - side * 0.42, z - 0.69, 0.045)
        if rivet < best:
            best, material = rivet, RIVET
    out[0], out[1] = best * 0.9, material


@njit(**FAST)
def skin(material, x, y, z, nx, ny, nz, look):
    look[3], look[4], look[5], look[6] = 0.8, 0.0, 0.0, 0.0
    if material == WALL:
        joint, number = brick(x + 40, y + 40, 1.3, 0.45, 0.05)
        rough = fbm(x * 12, y * 12, 2.0, 4)
        soot = 0.5 + 0.6 * fbm(x * 0.6, y * 0.6, 5.0, 4)
        look[0] = mix(0.24, mix(0.3, 0.2, number) * (0.5 + rough), joint) * soot
        look[1] = mix(0.22, mix(0.12, 0.09, number) * (0.5 + rough), joint) * soot
        look[2] = mix(0.2, mix(0.08, 0.07, number) * (0.5 + rough), joint) * soot
    elif material == LENS:
        r = math.sqrt(x * x + y * y)
        core = math.exp(-r * r * 16)
        ring = 0.75 + 0.35 * math.sin(r * 52)
        look[0] = 0.85 + 0.2 * core
        look[1] = 0.035 + 0.5 * core * core
        look[2] = 0.02 + 0.18 * core * core
        look[3], look[5] = 0.1, (0.75 + 2.2 * core) * ring
    elif material == RIM or material == HANDLE:
        wear = 0.55 + 0.6 * fbm(x * 9, y * 9, z * 9, 3)
        look[0], look[1], look[2] = 0.75 * wear, 0.5 * wear, 0.2 * wear
        look[3], look[4] = 0.3, 1.0
    else:
        rust = smoothstep(0.5, 0.72, fbm(x * 2.2 + 3, y * 2.2, z * 2.2, 5))
        chip = smoothstep(0.62, 0.66, fbm(x * 7, y * 7, z * 7, 3))
        grain = 0.7 + 0.6 * noise(x * 60, y * 60, z * 60)
        look[0] = mix(0.028, 0.24, rust) * grain + 0.05 * chip
        look[1] = mix(0.04, 0.085, rust) * grain + 0.05 * chip
        look[2] = mix(0.04, 0.03, rust) * grain + 0.05 * chip
        look[3] = mix(0.35, 0.85, rust)


def draw():
    width, height = SIZE
    eye, axes = camera((2.2, 0.7, 8.2), (0.0, 0.05, -0.2))
    sky = np.array([0.2, 0.27, 0.42, 0.09, 0.07, 0.06, 1.25, 1.0, 0.75, 0.25, 0.35, 0.6])
    light = lighting((-0.7, 0.75, 0.6), (0.9, 0.3, -0.2), 1.0, 0.15)
    picture = render(shape, skin, width, height, 2, eye, axes, 2.9, light, sky, 25.0)[..., :3]
    return bloom(picture, 0.9, 36, 0.22), {"exposure": 0.9, "warmth": 0.01, "seed": 4}
