"""The stationmaster of Kestrel Vale: a portrait before a brick wall and a hanging plant."""

import math

import numpy as np
from numba import njit

from demo.face import face_skin, head, shoulders
from demo.paint import bloom, foliage, linear, octaves, over
from demo.sdf import (
    FAST,
    box,
    brick,
    camera,
    capsule,
    clamp,
    ellipsoid,
    fbm,
    lighting,
    mix,
    noise,
    render,
    smoothstep,
    torus,
    union,
)

SIZE = (1536, 2048)
WHO = np.array([1.0, 1.04, 1.05, 0.8, 0.98, 0.85, 0.16, 1, 0.5, 0.02, 0.035, 0.085, 0.0])
COAT, WALL, BUTTON, SHIRT, TIE, LAPEL = 20, 21, 22, 23, 24, 25
TURN = 0.3


@njit(**FAST)
def shape(x, y, z, out):
    out[0] = z + 2.4  # the wall
    u, v = x, y
    joint, number = brick(u + 40, v + 40, 1.15, 0.38, 0.035)
    out[0] -= 0.05 * joint + 0.02 * number + 0.012 * fbm(u * 9, v * 9, 1.0, 3)
    best, material = out[0], WALL

    c, s = math.cos(TURN), math.sin(TURN)
    head(x * c - z * s, y - 0.02 * x, x * s + z * c, WHO, 1, out)
    if out[0] < best:
        best, material = out[0], out[1]

    body = shoulders(x, y, z)
    body -= 0.035 * fbm(x * 1.4, y * 2.2, z * 2, 3) + 0.0025 * noise(x * 70, y * 70, z * 70)
    opening = abs(x) - 0.42 * clamp((-y - 3.0) * -0.55 + 0.1)
    coat = max(body, -max(opening, -(z - 0.2)))
    if coat < best:
        best, material = coat, COAT
    shirt = body + 0.07
    shirt = union(shirt, capsule(x, y, z, 0, -1.25, -0.2, 0, -2.0, -0.1, 0.6, 0.75), 0.1)
    collar = torus(x, z + 0.18, y + 1.3 - 0.1 * z, 0.66, 0.075)
    shirt = union(shirt, collar, 0.04)
    if shirt < best:
        best, material = shirt, SHIRT
    tie = union(
        box(x, y + 2.3, z - 0.62 - 0.1 * (y + 2.3), 0.14 - 0.04 * (y + 2.3), 0.95, 0.05, 0.04),
        ellipsoid(x, y + 1.42, z - 0.52, 0.17, 0.14, 0.1),
        0.05,
    )
    if tie < best:
        best, material = tie, TIE
    lapel = max(abs(body - 0.02) - 0.035, abs(abs(x) - 0.5 - 0.22 * (y + 2.2)) - 0.24)
    lapel = max(lapel, max(-(z - 0.1), y + 1.45))
    if lapel < best:
        best, material = lapel * 0.8, LAPEL
    for row in range(3):
        button = ellipsoid(
            abs(x) - 0.62, y + 2.45 + 0.42 * row, z - 0.66 + 0.03 * row, 0.085, 0.085, 0.05
        )
        if button < best:
            best, material = button, BUTTON
    out[0], out[1] = best * 0.92, material


@njit(**FAST)
def skin(material, x, y, z, nx, ny, nz, look):
    if material < 20:
        c, s = math.cos(TURN), math.sin(TURN)
        face_skin(material, x * c - z * s, y - 0.02 * x, x * s + z * c, WHO, look)
        return
    look[3], look[4], look[5], look[6] = 0.85, 0.0, 0.0, 0.1
    if material == WALL:
        joint, number = brick(x + 40, y + 40, 1.15, 0.38, 0.035)
        rough = fbm(x * 12, y * 12, 2.0, 4)
        soot = 0.55 + 0.6 * fbm(x * 0.7, y * 0.7, 5.0, 4)
        red, green, blue = mix(0.34, 0.2, number), mix(0.13, 0.09, number), mix(0.08, 0.065, number)
        look[0] = mix(0.3, red * (0.6 + 0.8 * rough), joint) * soot
        look[1] = mix(0.27, green * (0.6 + 0.8 * rough), joint) * soot
        look[2] = mix(0.22, blue * (0.6 + 0.8 * rough), joint) * soot
    elif material == COAT or material == LAPEL:
        twill = 0.7 + 0.6 * (0.5 + 0.5 * math.sin((x + y) * 130)) * noise(x * 90, y * 90, z * 40)
        depth = 1.0 if material == COAT else 0.75
        look[0], look[1], look[2] = (
            0.018 * twill * depth,
            0.032 * twill * depth,
            0.075 * twill * depth,
        )
    elif material == SHIRT:
        thread = 0.9 + 0.1 * math.sin(x * 200) * math.sin(y * 200)
        look[0], look[1], look[2] = 0.7 * thread, 0.68 * thread, 0.62 * thread
    elif material == TIE:
        stripe = smoothstep(-0.2, 0.2, math.sin((x * 0.8 + y) * 30))
        look[0], look[1], look[2] = (
            mix(0.32, 0.07, stripe),
            mix(0.03, 0.02, stripe),
            mix(0.03, 0.03, stripe),
        )
        look[3] = 0.5
    else:
        look[0], look[1], look[2] = 0.85, 0.58, 0.24
        look[3], look[4] = 0.28, 1.0


def draw():
    width, height = SIZE
    eye, axes = camera((0.25, 0.15, 7.4), (0.0, -0.35, 0.0))
    sky = np.array([0.34, 0.4, 0.52, 0.2, 0.15, 0.1, 2.5, 2.15, 1.7, 0.5, 0.55, 0.7])
    light = lighting((-0.55, 0.65, 0.8), (0.9, 0.25, -0.3), 1.0, 0.12)
    picture = render(shape, skin, width, height, 2, eye, axes, 3.05, light, sky, 20.0)[..., :3]

    fern = np.zeros((height, width), np.float32)
    v, u = np.mgrid[0:height, 0:width].astype(np.float32)
    fern += np.exp(-(((u - 1440) / 210) ** 2 + ((v - 260) / 330) ** 2))
    fern += np.exp(-(((u - 60) / 120) ** 2 + ((v - 120) / 240) ** 2))
    fern = (fern * (0.4 + octaves((height, width), 160, 5, 4))).clip(0, 1)
    shade = np.clip(fern * 1.6, 0, 0.85)
    picture = over(picture, linear(18, 26, 16), shade)
    picture = foliage(
        np.ascontiguousarray(picture), fern,
        [linear(74, 112, 52), linear(96, 132, 60), linear(52, 88, 50)], 15, 2600, 11,
    )  # fmt: skip
    return bloom(picture, 1.4, 14, 0.12), {"exposure": 0.62, "warmth": 0.025, "seed": 3}
