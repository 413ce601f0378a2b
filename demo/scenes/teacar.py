"""Still life in the tea car: copper teapot, enamel mugs, apples, linen on oak, evening outside."""

import math

import numpy as np
from numba import njit

from demo.paint import bloom, blurred, gradient, linear, octaves, over
from demo.sdf import (
    FAST,
    box,
    camera,
    capsule,
    carve,
    cylinder,
    ellipsoid,
    fbm,
    lighting,
    mix,
    noise,
    render,
    smoothstep,
    sphere,
    torus,
    union,
    wrap,
)

SIZE = (2048, 1365)
OAK, LINEN, COPPER, ENAMEL, APPLE, STEM, BRASS, PANEL, TEA, PLATE = range(1, 11)


@njit(**FAST)
def cloth_height(x, z):
    """Folds of the linen over the table's edge and under the pot."""
    fold = 0.05 * math.sin(x * 3.1 + 1.4 * math.sin(z * 1.7)) * smoothstep(-0.4, 0.9, z)
    fold += 0.035 * fbm(x * 2.1, z * 2.1, 4.0, 3)
    return fold + 0.06 * smoothstep(0.08, 0.0, abs(x * 0.5 + z - 1.0 + 0.1 * math.sin(x * 5)))


@njit(**FAST)
def shape(x, y, z, out):
    best, material = y + 1.0 - 0.006 * fbm(x * 2, 0.0, z * 18, 3), OAK
    sheet = max(
        y + 0.985 - cloth_height(x, z) * 0.9, box(x + 0.35, y + 0.9, z - 0.35, 2.15, 0.4, 1.0, 0.02)
    )
    sheet -= 0.0018 * (math.sin(x * 170) + math.sin(z * 170))
    if sheet < best:
        best, material = sheet * 0.75, LINEN
    opening = max(abs(x) - 2.6, abs(y - 1.35) - 1.75)
    wall = max(max(z + 2.4, -(z + 2.7)), -opening)
    panel = wall - 0.03 * smoothstep(0.0, 0.05, abs(wrap(abs(x) + 0.6, 1.2) - 0.6) - 0.05)
    rail = min(
        capsule(x, y, z, -9, -0.28, -2.25, 9, -0.28, -2.25, 0.09, 0.09),
        box(x, y + 0.48, z + 2.35, 9, 0.1, 0.2, 0.03),
    )
    panel = min(panel, rail)
    mullion = box(abs(x) - 2.62, y - 1.35, z + 2.35, 0.1, 1.85, 0.16, 0.03)
    mullion = min(mullion, box(x, y - 1.35, z + 2.35, 0.05, 1.85, 0.08, 0.02))
    panel = min(panel, mullion)
    if panel < best:
        best, material = panel, PANEL

    px, pz = x + 0.55, z + 0.1
    pot = ellipsoid(px, y + 0.22, pz, 0.86, 0.74, 0.86)
    pot = max(pot, -(y + 0.86))
    pot = union(pot, cylinder(px, y + 0.86, pz, 0.6, 0.05, 0.03), 0.08)
    pot = union(pot, cylinder(px, y - 0.48, pz, 0.42, 0.07, 0.03), 0.06)
    spout = capsule(px, y, pz, 0.7, -0.3, 0, 1.12, 0.02, 0.05, 0.2, 0.13)
    spout = union(spout, capsule(px, y, pz, 1.12, 0.02, 0.05, 1.38, 0.42, 0.08, 0.13, 0.085), 0.1)
    spout = carve(spout, sphere(px - 1.42, y - 0.5, pz - 0.08, 0.09), 0.02)
    pot = union(pot, spout, 0.14)
    pot -= 0.0035 * noise(px * 11, y * 11, pz * 11)  # hammered
    lid = ellipsoid(px, y - 0.53, pz, 0.41, 0.16, 0.41)
    pot = min(pot, lid)
    if pot < best:
        best, material = pot, COPPER
    handle = torus(px, y - 0.5, pz, 0.5, 0.05)
    handle = max(handle, 0.42 - y)
    knob = union(sphere(px, y - 0.78, pz, 0.1), cylinder(px, y - 0.68, pz, 0.05, 0.06, 0.01), 0.05)
    hoop = torus(px, pz, y + 0.2, 0.866, 0.016)
    brass = min(handle, min(knob, hoop))
    if brass < best:
        best, material = brass, BRASS

    for number in range(2):
        mx = x - (1.28 if number == 0 else 2.02)
        mz = z - (0.42 if number == 0 else -0.55)
        my = y + 0.55
        cup = cylinder(mx, my, mz, 0.4, 0.42, 0.04)
        cup = carve(cup, cylinder(mx, my - 0.1, mz, 0.36, 0.42, 0.03), 0.02)
        cup = min(cup, torus(mx, mz, my - 0.42, 0.4, 0.024))
        ring = torus(mx - 0.42, my, mz * 1.0, 0.22, 0.045)
        cup = min(cup, max(ring, 0.36 - math.sqrt(mx * mx + mz * mz)))
        if cup < best:
            best, material = cup, ENAMEL
        tea = max(cylinder(mx, my - 0.22, mz, 0.37, 0.01, 0.002), -10.0)
        if tea < best:
            best, material = tea, TEA
    plate = cylinder(x - 0.35, y + 0.95, z - 1.0, 0.78, 0.03, 0.03)
    plate = union(plate, torus(x - 0.35, z - 1.0, y + 0.91, 0.74, 0.03), 0.05)
    if plate < best:
        best, material = plate, PLATE
    for number in range(3):
        ax = x - (0.08 if number == 0 else (0.66 if number == 1 else 0.4))
        az = z - (0.95 if number == 0 else (1.08 if number == 1 else 0.62))
        ay = y + 0.6
        apple = ellipsoid(ax, ay, az, 0.32, 0.29, 0.32)
        apple = carve(apple, sphere(ax, ay - 0.34, az, 0.1), 0.12)
        if apple < best:
            best, material = apple, APPLE
        stem = capsule(ax, ay, az, 0, 0.2, 0, 0.05, 0.4, 0.02, 0.015, 0.02)
        if stem < best:
            best, material = stem, STEM
    spoon = ellipsoid(x + 1.75, y + 0.86 - cloth_height(x, z), z - 1.05, 0.26, 0.035, 0.17)
    spoon = union(
        spoon,
        capsule(x, y - cloth_height(x, z), z, -1.55, -0.86, 0.98, -0.75, -0.86, 0.7, 0.03, 0.035),
        0.05,
    )
    if spoon < best:
        best, material = spoon * 0.8, BRASS
    out[0], out[1] = best * 0.85, material


@njit(**FAST)
def skin(material, x, y, z, nx, ny, nz, look):
    look[3], look[4], look[5], look[6] = 0.6, 0.0, 0.0, 0.0
    if material == OAK or material == PANEL:
        if material == OAK:
            u, v, plank = x, z * 3.2, math.floor(z * 1.3)
        else:
            u, v, plank = y * 0.9 + 5, x * 3.2, math.floor((x + 0.6) / 1.2) + 30
        warp = fbm(u * 0.8, v * 0.9, plank * 7.1, 4)
        ring = 0.5 + 0.5 * math.sin((v * 2 + 5 * warp) * 5)
        fibre = fbm(u * 4, v * 42, plank, 3)
        tone = (0.55 + 0.3 * ring + 0.5 * fibre) * (0.8 + 0.4 * noise(plank * 3.3, 0.5, 0.5))
        dark = 1.0 if material == OAK else 0.55
        look[0], look[1], look[2] = 0.3 * tone * dark, 0.155 * tone * dark, 0.068 * tone * dark
        look[3] = 0.34
        if material == OAK:
            gap = smoothstep(0.0, 0.02, abs(wrap(z * 1.3 + 20, 1.0) - 0.5) * 2 - 0.0)
            look[0] *= 0.4 + 0.6 * gap
    elif material == LINEN:
        thread = (
            0.85 + 0.12 * math.sin(x * 170) * math.sin(z * 170) + 0.1 * noise(x * 30, z * 160, 0.0)
        )
        stripe = smoothstep(0.035, 0.03, abs(abs(z - 0.35) - 0.78)) + smoothstep(
            0.012, 0.008, abs(abs(z - 0.35) - 0.68)
        )
        stripe = min(1.0, stripe + smoothstep(0.035, 0.03, abs(abs(x + 0.35) - 1.9)))
        look[0] = mix(0.72, 0.03, stripe) * thread
        look[1] = mix(0.68, 0.07, stripe) * thread
        look[2] = mix(0.58, 0.22, stripe) * thread
        look[3], look[6] = 0.9, 0.2
    elif material == COPPER:
        tarnish = smoothstep(0.45, 0.75, fbm(x * 2.5, y * 3.5, z * 2.5, 5))
        brushed = 0.85 + 0.25 * noise(x * 6, y * 70, z * 6)
        look[0] = mix(0.95, 0.45, tarnish) * brushed
        look[1] = mix(0.5, 0.19, tarnish) * brushed
        look[2] = mix(0.32, 0.1, tarnish) * brushed
        look[3], look[4] = mix(0.2, 0.42, tarnish), 1.0
    elif material == BRASS:
        wear = 0.75 + 0.3 * noise(x * 20, y * 20, z * 20)
        look[0], look[1], look[2] = 0.85 * wear, 0.62 * wear, 0.28 * wear
        look[3], look[4] = 0.24, 1.0
    elif material == ENAMEL or material == PLATE:
        speck = smoothstep(0.8, 0.86, noise(x * 26, y * 26, z * 26))
        rim = smoothstep(-0.16, -0.145, y) if material == ENAMEL else 0.0
        if material == PLATE:
            r = math.sqrt((x - 0.35) ** 2 + (z - 1.0) ** 2)
            rim = smoothstep(0.7, 0.72, r)
        chip = smoothstep(0.74, 0.78, fbm(x * 5, y * 5, z * 5, 2)) * rim
        look[0] = mix(mix(0.78, 0.3, speck), 0.02, max(rim, chip))
        look[1] = mix(mix(0.76, 0.33, speck), 0.045, max(rim, chip))
        look[2] = mix(mix(0.68, 0.4, speck), 0.16, max(rim, chip))
        look[3] = 0.18
    elif material == APPLE:
        streak = fbm(math.atan2(z - 0.9, x - 0.35) * 9, y * 1.5, x * 2 + z * 2, 4)
        blush = smoothstep(0.3, 0.65, fbm(x * 2.2 + 9, y * 1.5, z * 2.2, 3) + 0.35 * streak - 0.1)
        dots = smoothstep(0.82, 0.88, noise(x * 32, y * 32, z * 32))
        look[0] = mix(0.55, 0.5, blush) + 0.2 * dots
        look[1] = mix(0.42, 0.03, blush) + 0.16 * dots
        look[2] = mix(0.06, 0.025, blush) + 0.08 * dots
        look[3], look[6] = 0.28, 0.2
    elif material == TEA:
        look[0], look[1], look[2] = 0.2, 0.06, 0.012
        look[3] = 0.06
    else:
        look[0], look[1], look[2] = 0.1, 0.06, 0.03


def window_view(height, width):
    """What passes outside: hills and a low sun, out of focus."""
    sky = gradient((height, width), linear(120, 150, 190) * 1.3, linear(255, 205, 140) * 1.6, 1.4)
    rows = np.mgrid[0:height, 0:width][0].astype(np.float32) / height
    for number, (level, colour) in enumerate(
        [(0.3, linear(140, 150, 150)), (0.36, linear(92, 110, 86)), (0.43, linear(50, 70, 40))]
    ):
        ridge = level + 0.09 * (octaves((1, width), 420, number + 2, 3)[0] - 0.5)
        tone = 0.6 + 0.7 * octaves((height, width), 60, number + 9, 4)
        sky = over(sky, colour * tone[..., None], np.clip((rows - ridge) * 60, 0, 1))
    return blurred(sky, 11)


def draw():
    width, height = SIZE
    eye, axes = camera((0.5, 1.15, 6.6), (0.3, -0.28, 0.0))
    sky = np.array([0.42, 0.46, 0.55, 0.26, 0.17, 0.1, 2.6, 2.05, 1.4, 0.45, 0.5, 0.65])
    light = lighting((-0.75, 0.62, 0.45), (0.8, 0.4, -0.5), 1.0, 0.1)
    rendered = render(shape, skin, width, height, 2, eye, axes, 3.1, light, sky, 30.0)
    cover = np.clip(rendered[..., 3:], 0, 1)
    picture = rendered[..., :3] + (1 - cover) * window_view(height, width)
    return bloom(picture, 1.5, 16, 0.15), {"exposure": 0.62, "warmth": 0.03, "seed": 5}
