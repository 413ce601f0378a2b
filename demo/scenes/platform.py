"""A crowded platform: a dozen small faces under the canopy, a red carriage, summer trees."""

import math

import numpy as np
from numba import njit

from demo.face import face_skin, head
from demo.paint import bloom, foliage, gradient, linear, octaves, over
from demo.sdf import (
    FAST,
    box,
    camera,
    capsule,
    cylinder,
    ellipsoid,
    fbm,
    lighting,
    mix,
    noise,
    render,
    smoothstep,
    sphere,
    union,
    wrap,
)

SIZE = (2048, 1536)
COAT, FLOOR, IRON, CARRIAGE, GLASS, WOOD, TRIM, CASE, SHIRT, EDGE, LAPEL, TROUSERS = range(20, 32)
SCALE = 0.135
"""Metres per unit of head coordinates."""

# x, z, height of the head, turn, coat colour (3), then the face's `who`
_PEOPLE = [
    (-2.3, 1.1, 1.62, 0.15, 0.30, 0.06, 0.05, 0.97, 0.92, 0.95, 0.1, 0, 0.15, 0.1, 3, 0.7, 0.36, 0.07, 0.06),
    (-1.55, 1.5, 1.72, 0.05, 0.05, 0.09, 0.17, 1.0, 1.05, 1.1, 0.6, 0.6, 0.5, 0.25, 2, 0.4, 0.11, 0.08, 0.05),
    (-0.85, 0.9, 1.60, -0.1, 0.10, 0.22, 0.14, 0.96, 0.92, 0.95, 0.2, 0, 0.2, 0.55, 0, 0.9, 0.1, 0.1, 0.1),
    (-0.2, 1.7, 1.68, -0.05, 0.32, 0.22, 0.10, 1.0, 1.0, 1.0, 0.3, 0, 0.05, 0.85, 2, 0.8, 0.22, 0.16, 0.09),
    (0.5, 1.0, 1.66, 0.1, 0.07, 0.07, 0.09, 0.98, 1.0, 1.1, 0.9, 0.95, 0.95, 0.15, 1, 0.3, 0.03, 0.05, 0.1),
    (1.1, 1.6, 1.38, -0.15, 0.38, 0.30, 0.06, 1.0, 0.95, 0.85, 0.0, 0, 0.1, 0.35, 0, 0.9, 0.1, 0.1, 0.1),
    (-2.75, 0.0, 1.74, 0.2, 0.08, 0.12, 0.08, 1.02, 1.05, 1.0, 0.4, 0.5, 0.2, 0.7, 2, 0.4, 0.06, 0.07, 0.06),
    (-1.95, 0.1, 1.66, 0.1, 0.20, 0.10, 0.22, 0.96, 0.92, 0.9, 0.1, 0, 0.6, 0.12, 3, 0.8, 0.1, 0.16, 0.3),
    (-1.2, -0.2, 1.76, 0.0, 0.12, 0.12, 0.13, 1.0, 1.05, 1.05, 0.5, 0, 0.3, 0.3, 1, 0.4, 0.05, 0.06, 0.07),
    (-0.4, 0.1, 1.70, 0.05, 0.36, 0.10, 0.08, 0.97, 0.95, 0.95, 0.2, 0, 0.1, 0.2, 0, 0.8, 0.1, 0.1, 0.1),
    (0.25, -0.2, 1.78, -0.1, 0.06, 0.13, 0.20, 1.02, 1.05, 1.1, 0.6, 0.75, 0.8, 0.2, 2, 0.3, 0.05, 0.05, 0.06),
    (0.95, 0.2, 1.68, -0.1, 0.24, 0.19, 0.14, 0.98, 0.95, 0.9, 0.3, 0, 0.4, 0.5, 3, 0.7, 0.4, 0.3, 0.1),
    (1.5, 0.7, 1.62, -0.25, 0.10, 0.16, 0.24, 0.97, 0.95, 1.0, 0.2, 0, 0.15, 0.15, 0, 0.9, 0.1, 0.1, 0.1),
]  # fmt: skip
PEOPLE = np.array([[*row, 1.0] for row in _PEOPLE])


@njit(**FAST)
def figure(number, x, y, z, out):
    """One traveller: coat, arms, scarf, head."""
    top = PEOPLE[number, 2]
    c, s = math.cos(PEOPLE[number, 3]), math.sin(PEOPLE[number, 3])
    px, pz = x - PEOPLE[number, 0], z - PEOPLE[number, 1]
    px, pz = px * c - pz * s, px * s + pz * c
    bound = capsule(px, y, pz, 0, 0.2, 0, 0, top, 0, 0.42, 0.36)
    if bound > 0.12:
        out[0], out[1] = bound, COAT
        return
    ax = abs(px)
    neck = top - 0.15
    skirt = PEOPLE[number, 8] < 0.96
    hem = 0.16 if skirt else 0.66
    width = 0.34 if skirt else 0.235
    body = capsule(px, y, pz * 1.25, 0, neck - 0.2, 0, 0, neck - 0.62, 0, 0.17, 0.165)
    body = union(
        body, capsule(px, y, pz * 1.2, 0, neck - 0.62, 0, 0, hem - 0.05, 0, 0.15, width), 0.12
    )
    body -= 0.018 * math.sin(9 * math.atan2(pz, px)) * smoothstep(0.95, 0.4, y)
    body = max(body, hem - y)
    body = union(
        body, capsule(ax, y, pz * 1.2, 0.03, neck - 0.07, 0, 0.19, neck - 0.15, 0, 0.07, 0.08), 0.1
    )
    body = union(
        body, capsule(ax, y, pz, 0.22, neck - 0.18, 0.0, 0.27, neck - 0.62, 0.1, 0.075, 0.06), 0.05
    )
    body -= 0.012 * fbm(px * 5, y * 4, pz * 5 + number, 3)
    best, material = body, COAT
    lap = abs(ax - 0.05 - 0.22 * (y - neck + 0.24)) - 0.035
    lapel = max(max(body - 0.012, lap), max(neck - 0.3 - y, 0.02 - pz))
    if lapel < best:
        best, material = lapel * 0.8, LAPEL
    leg = capsule(ax, y, pz, 0.095, 0.75, 0, 0.1, 0.08, 0.01, 0.09, 0.065)
    leg = min(leg, ellipsoid(ax - 0.1, y - 0.05, pz - 0.06, 0.06, 0.055, 0.13))
    if leg < best:
        best, material = leg, TROUSERS
    shirt = max(
        ellipsoid(px, y - neck + 0.2, pz - 0.085, 0.06, 0.17, 0.075),
        ax - 0.02 - 0.3 * (y - neck + 0.24),
    )
    if shirt < best:
        best, material = shirt, SHIRT
    hand = sphere(ax - 0.275, y - neck + 0.67, pz - 0.11, 0.045)
    if hand < best:
        best, material = hand, 1
    head(px / SCALE, (y - top) / SCALE, pz / SCALE, PEOPLE[number, 7:], 0, out)
    if out[0] * SCALE < best:
        best, material = out[0] * SCALE, out[1]
    out[0], out[1] = best, material


@njit(**FAST)
def shape(x, y, z, out):
    best, material = y - 0.004 * fbm(x * 3, z * 3, 0.0, 2), FLOOR
    u, v = wrap(x + 40, 0.9), wrap(z + 40, 0.6)
    best += 0.008 * smoothstep(0.012, 0.0, min(min(u, 0.9 - u), min(v, 0.6 - v)))
    who = -1
    for number in range(PEOPLE.shape[0]):
        figure(number, x, y, z, out)
        if out[0] < best:
            best, material, who = out[0], out[1], number
    post = z + 3 - 3.2 * math.floor((z + 3) / 3.2 + 0.5)
    column = cylinder(x + 3.35, y - 1.6, post, 0.07, 1.7, 0.01)
    column = min(column, cylinder(x + 3.35, y - 0.15, post, 0.13, 0.18, 0.03))
    column = min(column, cylinder(x + 3.35, y - 2.55, post, 0.12, 0.06, 0.03))
    brace = abs(capsule(x + 3.35, y, abs(post), 0, 2.5, 0.05, 0, 3.1, 0.75, 0.03, 0.03))
    iron = min(column, brace)
    if iron < best:
        best, material = iron, IRON
    canopy = box(x + 2.6, y - 3.22 + 0.06 * (x + 2.6), z + 4, 1.7, 0.05, 9.0, 0.01)
    if canopy < best:
        best, material = canopy, WOOD
    tooth = wrap(z + 40, 0.26) - 0.13
    valance = box(x + 0.95, y - 2.97, z + 4, 0.03, 0.2 - 0.6 * abs(tooth), 9.0, 0.005)
    if valance < best:
        best, material = valance * 0.6, TRIM
    # the carriage stands at the right
    cx = x - 3.1
    side = box(cx, y - 1.5, z + 4.5, 0.9, 1.3, 8.0, 0.06)
    cell = z + 4.5 - 1.5 * math.floor((z + 4.5) / 1.5 + 0.5)
    side -= (
        0.02
        * smoothstep(0.62, 0.6, abs(cell))
        * smoothstep(1.25, 1.2, y)
        * smoothstep(0.45, 0.5, y)
    )
    window = box(cx + 0.9, y - 1.95, abs(cell) - 0.33, 0.06, 0.38, 0.24, 0.04)
    side = max(side, -window)
    if side < best:
        best, material = side, CARRIAGE
    glass = box(cx - 0.04, y - 1.95, z + 4.5, 0.9, 0.45, 7.9, 0.02)
    if glass < best:
        best, material = glass, GLASS
    handle = capsule(x, y, abs(cell), 2.17, 1.25, 0.08, 2.17, 1.45, 0.08, 0.015, 0.015)
    if handle < best:
        best, material = handle, 7
    for number in range(3):
        kx = x - (-3.0 if number == 0 else (1.75 if number == 1 else -0.55))
        kz = z - (1.9 if number == 0 else (1.75 if number == 1 else 2.35))
        case = box(kx, y - 0.22, kz, 0.3, 0.22, 0.12, 0.04)
        case = min(case, capsule(kx, y, kz, -0.08, 0.47, 0, 0.08, 0.47, 0, 0.02, 0.02))
        if case < best:
            best, material = case, CASE
    out[0] = best * 0.88
    out[1] = (
        material + 100 * (who + 1)
        if who >= 0 and (material <= COAT or material == LAPEL)
        else material
    )


@njit(**FAST)
def skin(code, x, y, z, nx, ny, nz, look):
    look[3], look[4], look[5], look[6] = 0.75, 0.0, 0.0, 0.1
    number, material = code // 100 - 1, code % 100
    if number >= 0 and material < COAT:
        c, s = math.cos(PEOPLE[number, 3]), math.sin(PEOPLE[number, 3])
        px, pz = x - PEOPLE[number, 0], z - PEOPLE[number, 1]
        px, pz = px * c - pz * s, px * s + pz * c
        face_skin(
            material,
            px / SCALE,
            (y - PEOPLE[number, 2]) / SCALE,
            pz / SCALE,
            PEOPLE[number, 7:],
            look,
        )
        return
    if material == COAT or material == LAPEL:
        check = 0.5 + 0.5 * math.sin(x * 75) * math.sin(y * 75)
        check = mix(1.0, 0.65 + 0.7 * check, 1.0 if number % 3 == 0 else 0.25)
        weave = (0.7 + 0.6 * noise(x * 190, y * 190, z * 190)) * check
        for c3 in range(3):
            look[c3] = PEOPLE[max(number, 0), 4 + c3] * weave
        if material == LAPEL:
            look[0], look[1], look[2] = look[0] * 0.6, look[1] * 0.6, look[2] * 0.6
        button = math.hypot(x - PEOPLE[max(number, 0), 0] - 0.03, wrap(y, 0.17) - 0.085)
        if button < 0.016 and nz > 0.6:
            look[0], look[1], look[2] = 0.5, 0.38, 0.2
    elif material == FLOOR:
        u, v = math.floor((x + 40) / 0.9), math.floor((z + 40) / 0.6)
        tone = 0.2 + 0.1 * noise(u * 3.1, v * 5.7, 0.5) + 0.16 * fbm(x * 8, z * 8, 1.0, 5)
        look[0], look[1], look[2] = tone * 1.05, tone, tone * 0.9
        if x > 1.8 and x < 2.05:
            look[0] = look[1] = look[2] = 0.75 - 0.3 * fbm(x * 9, z * 9, 3.0, 3)
    elif material == IRON:
        look[0], look[1], look[2] = 0.02, 0.1, 0.07
        look[3] = 0.35
    elif material == CARRIAGE:
        line = smoothstep(0.016, 0.01, abs(abs(y - 1.36) - 0.06)) + smoothstep(
            0.016, 0.01, abs(y - 2.45)
        )
        upper = smoothstep(1.34, 1.38, y)
        look[0] = mix(mix(0.38, 0.72, upper), 0.62, line)
        look[1] = mix(mix(0.025, 0.58, upper), 0.42, line)
        look[2] = mix(mix(0.03, 0.38, upper), 0.1, line)
        look[3] = 0.2
    elif material == GLASS:
        look[0], look[1], look[2] = 0.03, 0.035, 0.04
        look[3] = 0.06
    elif material == WOOD or material == TRIM:
        plank = 0.75 + 0.4 * fbm(x * 2, y * 2, z * 24, 3)
        cream = 1.0 if material == TRIM else 0.5
        look[0], look[1], look[2] = 0.66 * plank * cream, 0.58 * plank * cream, 0.42 * plank * cream
    elif material == CASE:
        strap = smoothstep(0.035, 0.03, abs(wrap(abs(x) * 2.4, 1.0) - 0.5) * 0.4)
        scuff = 0.7 + 0.6 * fbm(x * 14, y * 14, z * 14, 3)
        look[0], look[1], look[2] = (
            mix(0.3, 0.1, strap) * scuff,
            mix(0.14, 0.05, strap) * scuff,
            0.05 * scuff,
        )
        look[3] = 0.4
    elif material == SHIRT:
        look[0], look[1], look[2] = 0.7, 0.68, 0.62
    elif material == TROUSERS:
        weave = 0.7 + 0.6 * noise(x * 190, y * 190, z * 190)
        look[0], look[1], look[2] = 0.05 * weave, 0.045 * weave, 0.045 * weave
    elif material == 1:
        look[0], look[1], look[2] = 0.5, 0.3, 0.2
    else:
        look[0], look[1], look[2] = 0.8, 0.55, 0.22
        look[3], look[4] = 0.25, 1.0


def draw():
    width, height = SIZE
    eye, axes = camera((-0.7, 1.95, 6.2), (-0.5, 1.28, 0.0))
    sky = np.array([0.5, 0.6, 0.78, 0.3, 0.25, 0.19, 2.5, 2.25, 1.8, 0.5, 0.52, 0.55])
    light = lighting((0.15, 0.75, 0.75), (-0.8, 0.4, -0.5), 0.6, 0.1)
    rendered = render(shape, skin, width, height, 2, eye, axes, 2.75, light, sky, 30.0)
    v, u = np.mgrid[0:height, 0:width].astype(np.float32)
    back = gradient((height, width), linear(120, 170, 220) * 1.2, linear(225, 232, 226) * 1.3, 0.9)
    cloud = np.clip((octaves((height, width), 420, 3, 6, (1.8, 0.8)) - 0.5) * 2.6, 0, 1)
    back = over(back, linear(250, 248, 240) * 1.4, cloud * 0.85)
    trees = np.zeros((height, width), np.float32)
    rng = np.random.default_rng(12)
    for _ in range(60):
        x, y, r = rng.uniform(0, width), rng.uniform(0.22, 0.42) * height, rng.uniform(60, 150)
        trees = np.maximum(trees, np.clip((r - np.hypot(u - x, (v - y) * 1.1)) / 18, 0, 1))
    trees = np.maximum(trees, np.clip((v / height - 0.36) * 40, 0, 1))
    trees *= np.clip(0.55 + octaves((height, width), 50, 9, 4), 0, 1)
    back = over(back, linear(34, 52, 26), np.clip(trees * 1.5, 0, 1))
    greens = [linear(86, 122, 50), linear(110, 142, 62), linear(66, 104, 48), linear(132, 150, 70)]
    back = foliage(np.ascontiguousarray(back), trees, greens, 8, 26000, 14)
    cover = np.clip(rendered[..., 3:], 0, 1)
    picture = rendered[..., :3] + (1 - cover) * back
    return bloom(picture, 1.4, 14, 0.12), {"exposure": 0.62, "warmth": 0.02, "seed": 7}
