"""The night mail on the viaduct: moon, steam, lit windows, the river below."""

import math

import cv2
import numpy as np
from numba import njit

from demo.paint import bloom, blurred, foliage, gradient, linear, octaves, over
from demo.sdf import (
    FAST,
    box,
    brick,
    camera,
    capsule,
    cylinder,
    fbm,
    lighting,
    mix,
    noise,
    render,
    smoothstep,
    sphere,
    wrap,
)

SIZE = (2048, 1152)
STONE, COACH, GLASS, ENGINE, ROOF, RED, LAMP, RAIL = range(1, 9)
SPAN = 2.6
TOP = 1.2


@njit(**FAST)
def shape(x, y, z, out):
    cell = x - SPAN * math.floor(x / SPAN + 0.5)
    deck = box(x, y - TOP, z, 60, 0.42, 0.62, 0.02)
    wall = box(x, y + 2.2, z, 60, 3.6, 0.5, 0.02)
    arch = min(
        cylinder(cell, z, y + 0.15, 1.02, 2.0, 0.01), box(cell, y + 3.2, z, 1.02, 3.05, 2.0, 0.01)
    )
    stone = max(wall, -arch)
    stone = min(stone, deck)
    stone = min(
        stone, box(cell - SPAN * (0.5 if cell > 0 else -0.5), y + 2.0, z, 0.36, 3.3, 0.6, 0.02)
    )
    stone = min(
        stone, box(cell - SPAN * (0.5 if cell > 0 else -0.5), y - 0.32, z, 0.42, 0.1, 0.68, 0.02)
    )
    stone = min(stone, box(x, y - TOP - 0.45, z, 60, 0.06, 0.68, 0.02))
    joint, number = brick(x + z + 60, y + 40, 0.34, 0.15, 0.02)
    stone -= 0.014 * joint + 0.014 * number + 0.008 * fbm(x * 8, y * 8, z * 8, 3)
    best, material = stone, STONE
    rail = min(capsule(x, y, z, -60, TOP + 0.62, 0.6, 60, TOP + 0.62, 0.6, 0.02, 0.02), 1e3)
    post = x - 0.65 * math.floor(x / 0.65 + 0.5)
    rail = min(rail, capsule(post, y, z, 0, TOP + 0.4, 0.6, 0, TOP + 0.64, 0.6, 0.016, 0.016))
    if rail < best:
        best, material = rail, RAIL

    ty = y - TOP - 0.5
    if x > -12.0 and x < 2.2 and abs(ty - 0.5) < 1.6:
        length = 2.75
        number = math.floor((x + 12) / length)
        cx = x + 12 - (number + 0.5) * length
        if x < 1.75:
            coach = box(cx, ty - 0.48, z, 1.28, 0.36, 0.36, 0.03)
            if coach < best:
                best, material = coach, COACH
            pane = cx - 0.42 * math.floor(cx / 0.42 + 0.5)
            glass = max(box(pane, ty - 0.58, z, 0.14, 0.13, 0.37, 0.02), abs(cx) - 1.12)
            if glass < best + 0.004:
                best, material = min(best, glass), GLASS
            roof = max(box(cx, ty - 0.9 + 0.3 * z * z, z, 1.3, 0.07, 0.4, 0.05), -10.0)
            if roof < best:
                best, material = roof, ROOF
            wheel = abs(abs(cx) - 0.8)
            wheels = cylinder(wheel - 0.17, z - 0.28, ty - 0.06, 0.15, 0.04, 0.01)
            if wheels < best:
                best, material = wheels, ENGINE
    ex = x - 3.7
    if abs(ex) < 2.4 and abs(ty - 0.6) < 1.8:
        boiler = cylinder(z, ex - 0.25, ty - 0.62, 0.31, 1.15, 0.06)
        cab = box(ex + 1.25, ty - 0.68, z, 0.42, 0.46, 0.38, 0.03)
        chimney = cylinder(ex - 1.15, ty - 1.1, z, 0.11, 0.24, 0.02)
        chimney = min(chimney, cylinder(ex - 1.15, ty - 1.33, z, 0.15, 0.03, 0.02))
        dome = sphere(ex - 0.2, ty - 0.92, z, 0.19)
        frame = box(ex, ty - 0.28, z, 1.65, 0.07, 0.34, 0.02)
        engine = min(min(boiler, cab), min(chimney, min(dome, frame)))
        for wheel in range(3):
            centre = -0.85 + 0.72 * wheel
            ring = cylinder(ex - centre, z - 0.34, ty - 0.16, 0.29, 0.04, 0.01)
            ring = max(
                ring,
                -max(
                    cylinder(ex - centre, z - 0.34, ty - 0.16, 0.23, 0.2, 0.01),
                    0.012 - abs(math.sin(3 * math.atan2(ty - 0.16, ex - centre))) * 0.09,
                ),
            )
            engine = min(engine, ring)
        rod = box(ex + 0.12, ty - 0.1, z - 0.4, 0.85, 0.03, 0.02, 0.01)
        if engine < best:
            best, material = engine, ENGINE
        bands = cylinder(z, wrap(ex + 10.0, 0.55) - 0.27, ty - 0.62, 0.318, 0.02, 0.005)
        bands = max(bands, abs(ex - 0.25) - 1.1)
        red = min(min(rod, bands), box(ex - 1.68, ty - 0.25, z, 0.05, 0.12, 0.36, 0.01))
        if red < best:
            best, material = red, RED
        lamp = sphere(ex - 1.5, ty - 0.75, z - 0.12, 0.09)
        window = box(ex + 1.25, ty - 0.82, z, 0.16, 0.13, 0.4, 0.02)
        if min(lamp, window) < best + 0.003:
            best, material = min(best, min(lamp, window)), LAMP
        tender = box(ex + 2.0, ty - 0.5, z, 0.3, 0.32, 0.34, 0.02)
        if tender < best:
            best, material = tender, COACH
    out[0], out[1] = best * 0.85, material


@njit(**FAST)
def skin(material, x, y, z, nx, ny, nz, look):
    look[3], look[4], look[5], look[6] = 0.7, 0.0, 0.0, 0.0
    if material == STONE:
        joint, number = brick(x + z + 60, y + 40, 0.34, 0.15, 0.02)
        rough = fbm(x * 7, y * 7, z * 7, 4)
        stain = 0.5 + 0.7 * fbm(x * 0.9, y * 0.35, z, 4)
        moss = smoothstep(0.52, 0.7, fbm(x * 1.6 + 4, y * 1.1, z * 2, 4)) * smoothstep(1.0, -1.5, y)
        tone = (0.14 + 0.12 * number + 0.16 * rough) * stain * mix(0.4, 1.0, joint)
        look[0] = mix(tone * 1.05, 0.05, moss)
        look[1] = mix(tone, 0.085, moss)
        look[2] = mix(tone * 0.9, 0.03, moss)
        look[3] = 0.9
    elif material == COACH:
        line = smoothstep(0.02, 0.012, abs(y - TOP - 0.5 - 0.36))
        look[0], look[1], look[2] = (
            mix(0.16, 0.6, line),
            mix(0.02, 0.42, line),
            mix(0.03, 0.12, line),
        )
        look[3] = 0.25
    elif material == GLASS or material == LAMP:
        flicker = 0.75 + 0.5 * noise(x * 2.3, 1.0, 1.0)
        shade = 0.6 + 0.5 * smoothstep(-0.1, 0.15, y - TOP - 1.05)
        look[0], look[1], look[2] = 1.0, 0.62, 0.22
        look[3], look[5] = 0.2, 3.2 * flicker * shade + (2.5 if material == LAMP else 0.0)
    elif material == ENGINE or material == ROOF:
        look[0], look[1], look[2] = 0.03, 0.036, 0.045
        look[3] = 0.3 + 0.3 * fbm(x * 7, y * 7, z * 7, 3)
    elif material == RED:
        look[0], look[1], look[2] = 0.6, 0.08, 0.05
        look[3] = 0.3
    else:
        look[0], look[1], look[2] = 0.05, 0.05, 0.06


def night_sky(height, width):
    sky = gradient((height, width), linear(16, 26, 58), linear(74, 104, 142), 1.5)
    v, u = np.mgrid[0:height, 0:width].astype(np.float32)
    moon = np.hypot(u - width * 0.2, v - height * 0.2) / height
    sky += np.exp(-moon * 7)[..., None] * linear(170, 190, 215) * 0.5
    rng = np.random.default_rng(8)
    for _ in range(900):
        x, y = rng.integers(0, width), int(rng.beta(1, 2) * height * 0.6)
        size, bright = rng.uniform(0.5, 1.5), rng.uniform(0.3, 1.6)
        cv2.circle(
            sky,
            (int(x) << 3, y << 3),
            int(size * 8),
            (bright, bright, bright * 1.1),
            -1,
            cv2.LINE_AA,
            3,
        )
    cloud = octaves((height, width), 520, 21, 7, (2.2, 0.7))
    cloud = np.clip((cloud - 0.5) * 2.2, 0, 1) * np.clip(1.2 - v / height * 1.4, 0, 1)
    glow = 0.25 + 1.3 * np.exp(-moon * 4)
    sky = over(sky, linear(150, 165, 190) * (glow * (0.5 + cloud))[..., None], cloud * 0.75)
    disc = np.clip((0.052 - moon) * height / 2, 0, 1)
    craters = 0.75 + 0.4 * octaves((height, width), 46, 3, 4)
    sky = over(sky, linear(248, 243, 224) * craters[..., None] * 2.4, disc)
    for number, (level, colour) in enumerate(
        [(0.6, linear(58, 82, 112)), (0.67, linear(36, 56, 78)), (0.75, linear(17, 32, 42))]
    ):
        ridge = level + 0.16 * (octaves((1, width), 700, number + 30, 4)[0] - 0.5)
        ridge = ridge - 0.012 * octaves((1, width), 9, number + 60, 2)[0] * number
        tone = 0.75 + 0.5 * octaves((height, width), 40, number + 40, 4)
        sky = over(sky, colour * tone[..., None], np.clip((v / height - ridge) * 180, 0, 1))
    return sky


def draw():
    width, height = SIZE
    eye, axes = camera((3.4, -0.4, 11.5), (0.1, 0.35, 0.0))
    sky = np.array([0.12, 0.17, 0.3, 0.03, 0.04, 0.06, 0.75, 0.85, 1.05, 0.5, 0.6, 0.85])
    light = lighting((-0.75, 0.65, 0.55), (-0.8, 0.5, -0.4), 1.0, 0.07)
    rendered = render(shape, skin, width, height, 2, eye, axes, 2.25, light, sky, 60.0)
    cover = np.clip(rendered[..., 3:], 0, 1)
    picture = rendered[..., :3] + (1 - cover) * night_sky(height, width)
    v, u = np.mgrid[0:height, 0:width].astype(np.float32)

    water = 0.8
    line = int(height * water)
    ripple = octaves((height, width), 60, 71, 5, (4.0, 0.35)) - 0.5
    depth = np.clip(v - line, 0, None)
    mirror = cv2.remap(
        picture.astype(np.float32),
        (u + ripple * (6 + depth * 0.25)).astype(np.float32),
        np.clip(2 * line - v + ripple * depth * 0.5, 0, line).astype(np.float32),
        cv2.INTER_LINEAR,
    )
    mirror = mirror * 0.6 + linear(14, 26, 40) * 0.5
    glint = np.clip(ripple - 0.3, 0, 1) * np.exp(-(((u - width * 0.2) / 190) ** 2))
    mirror += glint[..., None] * linear(220, 225, 235) * 4
    picture = over(picture, mirror, np.clip((v - line) / 2, 0, 1))

    steam = np.zeros((height, width), np.float32)
    rng = np.random.default_rng(5)
    start_x, start_y = width * 0.785, height * 0.2
    for number in range(170):
        t = number / 170
        x = start_x - t * width * 0.62 + rng.normal(0, 8 + 46 * t)
        y = start_y - 105 * np.sqrt(t) + rng.normal(0, 5 + 40 * t)
        cv2.circle(
            steam,
            (int(x), int(y)),
            int(12 + 78 * t),
            float(rng.uniform(0.12, 0.4) * (1 - 0.7 * t)),
            -1,
        )
    steam = blurred(steam, 14) * (0.45 + 0.9 * octaves((height, width), 90, 90, 6))
    warm = np.exp(-(((u - start_x) / 260) ** 2 + ((v - start_y - 60) / 160) ** 2))[..., None]
    picture = over(
        picture,
        linear(176, 190, 212) * 0.9 + warm * linear(255, 170, 90) * 0.5,
        np.clip(steam, 0, 0.92),
    )

    bank = np.clip((v / height - 0.86 - 0.09 * octaves((1, width), 300, 77, 4)) * 30, 0, 1)
    bank *= np.clip(np.abs(u / width - 0.52) * 5 - 0.9, 0, 1)
    picture = over(picture, linear(6, 12, 12), bank)
    picture = foliage(
        np.ascontiguousarray(picture), bank,
        [linear(30, 52, 50), linear(42, 66, 56), linear(24, 44, 52)], 9, 9000, 15,
    )  # fmt: skip
    return bloom(picture, 0.9, 12, 0.35), {"exposure": 1.15, "warmth": -0.01, "seed": 6}
