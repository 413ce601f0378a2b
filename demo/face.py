"""A head in a railway cap, as a distance field; one for the portrait, a dozen for the platform.

Head coordinates: y up, z towards the viewer, x to the viewer's right; the skull is about 1 wide from
ear to middle. ``who`` holds what tells people apart: width, jaw, nose, age, beard, hair tone, skin
tone, hat kind (0 none, 1 cap with peak, 2 brimmed hat, 3 headscarf), smile.
"""

import math

from numba import njit

from demo.sdf import (
    FAST,
    capsule,
    carve,
    cylinder,
    ellipsoid,
    fbm,
    mix,
    noise,
    smoothstep,
    sphere,
    torus,
    union,
)

SKIN, EYE, HAIR, BEARD, CAP, PEAK, BADGE, LIP = 1, 2, 3, 4, 5, 6, 7, 8


@njit(**FAST)
def head(x, y, z, who, detail, out):
    """Distance to the head and its material."""
    bound = sphere(x, y - 0.2, z, 2.1)
    if bound > 0.6:
        out[0], out[1] = bound - 0.1, SKIN
        return
    wide, jaw, nose, age = who[0], who[1], who[2], who[3]
    beard, hat, smile = who[4], who[7], who[8]
    x = x / wide
    ax = abs(x)
    d = ellipsoid(x, y - 0.3, z + 0.08, 0.8, 0.92, 0.92)
    d = union(d, ellipsoid(x, y + 0.42, z - 0.18, 0.55 * jaw, 0.68, 0.6), 0.42)
    d = union(d, sphere(ax - 0.36, y + 0.14, z - 0.5, 0.27), 0.3)  # cheekbones
    d = union(d, capsule(ax, y - 0.3, z - 0.74, 0.1, 0, 0, 0.38, -0.02, -0.1, 0.11, 0.1), 0.16)
    d = union(d, sphere(x, y + 0.9, z - 0.55, 0.19 * jaw), 0.25)  # chin
    d = carve(d, ellipsoid(ax - 0.31, y - 0.1, z - 0.93, 0.2, 0.13, 0.2), 0.16)  # sockets
    bridge = capsule(x, y, z, 0, 0.24, 0.8, 0, -0.1, 0.98 + 0.05 * nose, 0.065, 0.1)
    d = union(d, bridge, 0.14)
    d = union(d, sphere(x, y + 0.15, z - 1.0 - 0.05 * nose, 0.115 * nose), 0.1)
    d = union(d, sphere(ax - 0.12, y + 0.19, z - 0.9, 0.075 * nose), 0.07)
    d = carve(d, ellipsoid(ax - 0.07, y + 0.255, z - 0.97, 0.035, 0.025, 0.05), 0.03)
    d = union(d, ellipsoid(x, y + 0.42, z - 0.72, 0.3, 0.16, 0.16), 0.15)  # around the mouth
    if age > 0.3:  # folds from nose to mouth, bags under the eyes
        fold = capsule(ax, y, z, 0.19, -0.2, 0.9, 0.34, -0.46, 0.72, 0.012, 0.012)
        d = carve(d, fold, 0.05 * age)
        d = union(d, ellipsoid(ax - 0.31, y + 0.06, z - 0.76, 0.13, 0.035, 0.06), 0.05)
    ear = ellipsoid(ax - 0.84, y - 0.04, z + 0.05, 0.09, 0.23, 0.15)
    d = union(d, carve(ear, ellipsoid(ax - 0.93, y - 0.04, z + 0.01, 0.06, 0.14, 0.08), 0.04), 0.06)
    d = union(d, capsule(x, y, z, 0, -0.5, -0.15, 0, -1.6, -0.3, 0.5, 0.58), 0.2)  # neck
    if detail > 0:
        d -= 0.004 * fbm(x * 34, y * 34, z * 34, 2) * (0.4 + age)
        d -= (
            0.008
            * age
            * math.sin(y * 46 + 2 * noise(x * 3, y * 3, z))
            * smoothstep(0.46, 0.56, y)
            * smoothstep(0.8, 0.7, y)
            * smoothstep(0.3, 0.6, z)
        )
    best, material = d, SKIN

    curve = smile * 0.22 * ax * ax
    lips = union(
        ellipsoid(x, y + 0.40 - curve, z - 0.86, 0.2, 0.035, 0.06),
        ellipsoid(x, y + 0.475 - curve, z - 0.855, 0.17, 0.045, 0.065),
        0.02,
    )
    lips = carve(lips, ellipsoid(x, y + 0.433 - curve, z - 0.93, 0.22, 0.008, 0.06), 0.012)
    if lips < best:
        best, material = lips, LIP

    ball = sphere(ax - 0.31, y - 0.1, z - 0.645, 0.165)
    if ball < best:
        best, material = ball, EYE
    lid = sphere(ax - 0.31, y - 0.1, z - 0.65, 0.182)
    upper = max(lid, 0.055 - (y - 0.1) - 0.1 * (z - 0.75))
    lower = max(lid, (y - 0.1) + 0.075)
    lids = min(upper, lower)
    if lids < best:
        best, material = lids, SKIN

    strand = 0.0
    if detail > 0:
        strand = 0.022 * fbm(x * 55, y * 7 + 2 * z, z * 30, 3)
    if hat < 2.5:
        cut = 0.5 + 0.16 * smoothstep(0.1, 0.6, ax) - 0.2 * smoothstep(0.5, 0.8, ax)
        hair = ellipsoid(x, y - 0.32, z + 0.12, 0.86, 0.95, 0.95) - strand * 1.4
        front = y - cut - 0.9 * max(z, -0.6) * 0.55 + 0.34
        hair = max(hair, -front)
        hair = carve(hair, ellipsoid(x, y - 0.02, z - 0.85, 0.66, 0.6, 0.75), 0.06)
        hair = max(hair, -(y + 0.42))
        if hair < best:
            best, material = hair, HAIR
    brow = (
        capsule(ax, y - 0.315 + 0.03 * smile, z, 0.14, -0.02, 0.9, 0.44, 0.02, 0.74, 0.035, 0.018)
        - strand
    )
    if brow < best:
        best, material = brow, BEARD
    if beard > 0.3:
        puff = 0.05 * fbm(x * 9, y * 9, z * 9, 2)
        moustache = capsule(
            ax, y + 0.31, z, 0.02, 0.01, 0.95, 0.36, -0.1 - 0.05 * ax, 0.72, 0.085 * beard, 0.03
        )
        moustache -= strand + puff * 0.5
        if moustache < best:
            best, material = moustache, BEARD
        if beard > 0.8:
            full = ellipsoid(x, y + 0.72, z - 0.3, 0.62 * jaw, 0.52 * beard, 0.52)
            full = max(full, y + 0.36 - 0.5 * smoothstep(0.3, 0.62, ax))
            full = carve(full, ellipsoid(x, y + 0.43, z - 0.95, 0.24, 0.08, 0.3), 0.06)
            full -= strand * 1.6 + puff
            if full < best:
                best, material = full, BEARD

    if hat > 0.5 and hat < 1.5:
        crown = cylinder(x, y - 0.98, z + 0.05, 0.93, 0.2, 0.07)
        crown = union(crown, ellipsoid(x, y - 1.16, z + 0.02, 1.08, 0.2, 1.06), 0.12)
        if detail > 0:
            crown -= 0.0025 * math.sin(x * 160) * math.sin(y * 160 + z * 90)
        if crown < best:
            best, material = crown, CAP
        band = cylinder(x, y - 0.86, z + 0.05, 0.955, 0.1, 0.02)
        if band < best:
            best, material = band, PEAK
        tilt = y - 0.73 + 0.36 * (z - 0.75)
        peak = max(cylinder(x * 0.95, tilt, z - 0.42, 0.86, 0.025, 0.02), 0.6 - z)
        if peak < best:
            best, material = peak * 0.8, PEAK
        badge = max(torus(x, y - 0.98, z - 0.9, 0.11, 0.03), -1.0)
        badge = min(badge, capsule(ax, y - 0.98, z - 0.9, 0, 0, 0, 0.3, 0.05, -0.06, 0.03, 0.012))
        badge = min(badge, ellipsoid(x, y - 0.98, z - 0.88, 0.07, 0.07, 0.05))
        if badge < best:
            best, material = badge, BADGE
        cord = torus(x, z + 0.05, y - 0.79, 0.965, 0.022)
        if cord < best:
            best, material = cord, BADGE
    elif hat > 1.5 and hat < 2.5:
        crown = cylinder(x, y - 1.05, z + 0.05, 0.82, 0.33, 0.2)
        brim = cylinder(x, y - 0.76 - 0.06 * x * x, z + 0.02, 1.35, 0.03, 0.025)
        felt = union(crown, brim, 0.06)
        if felt < best:
            best, material = felt * 0.9, CAP
        band = cylinder(x, y - 0.84, z + 0.05, 0.845, 0.075, 0.02)
        if band < best:
            best, material = band, PEAK
    elif hat > 2.5:
        scarf = ellipsoid(x, y - 0.28, z + 0.12, 0.92, 1.02, 0.98)
        scarf = carve(scarf, ellipsoid(x, y - 0.0, z - 0.95, 0.64, 0.78, 0.9), 0.08)
        scarf = union(scarf, capsule(x, y, z, -0.15, -1.0, 0.5, 0.15, -1.0, 0.5, 0.12, 0.12), 0.1)
        if detail > 0:
            scarf -= 0.01 * fbm(x * 6, y * 14, z * 6, 3)
        if scarf < best:
            best, material = scarf, CAP
    out[0] = best * min(1.0, wide) * 0.9
    out[1] = material


@njit(**FAST)
def shoulders(x, y, z):
    """Distance to a trunk without arms, on which the head sits."""
    body = ellipsoid(x, y + 3.1, z + 0.35, 1.9, 1.7, 1.0)
    return union(body, capsule(abs(x), y, z, 0.5, -1.55, -0.35, 1.75, -2.35, -0.3, 0.5, 0.62), 0.4)


@njit(**FAST)
def face_skin(material, x, y, z, who, look):
    """Colour of the head's materials at head coordinates. ``who[9:12]`` is the hat's colour."""
    tone, hair = who[6], who[5]
    look[3], look[4], look[5], look[6] = 0.55, 0.0, 0.0, 0.0
    ax = abs(x)
    if material == SKIN:
        red, green, blue = mix(0.66, 0.2, tone), mix(0.37, 0.1, tone), mix(0.25, 0.06, tone)
        flush = math.exp(-((ax - 0.42) ** 2 + (y + 0.14) ** 2) * 14)
        flush += 1.1 * math.exp(-(x * x * 40 + (y + 0.15) ** 2 * 30)) * smoothstep(0.7, 0.95, z)
        flush += 0.6 * smoothstep(0.7, 0.9, ax)
        spots = fbm(x * 22, y * 22, z * 22, 3)
        red *= 1 + 0.05 * flush + 0.2 * (spots - 0.5)
        green *= 1 - 0.3 * flush + 0.22 * (spots - 0.5)
        blue *= 1 - 0.28 * flush + 0.2 * (spots - 0.5)
        socket = math.exp(-((ax - 0.31) ** 2 * 22 + (y - 0.13) ** 2 * 34)) * 0.5
        lash = (
            math.exp(-(((y - 0.1 - 0.06 + 0.35 * (ax - 0.31) ** 2) * 40) ** 2))
            * smoothstep(0.19, 0.15, abs(ax - 0.31))
            * smoothstep(0.72, 0.8, z)
        )
        stubble = (
            smoothstep(-0.3, -0.5, y) * smoothstep(0.0, 0.5, z) * who[3] * 0.25 * (1 - who[12])
        )
        dark = (1 - socket) * (1 - 0.8 * lash) * (1 - stubble * noise(x * 90, y * 90, z * 90))
        look[0], look[1], look[2] = red * dark, green * dark, blue * dark
        look[3] = 0.5 - 0.08 * flush
        look[6] = 0.22
    elif material == LIP:
        look[0], look[1], look[2] = (
            mix(0.5, 0.2, tone),
            mix(0.17, 0.07, tone),
            mix(0.14, 0.06, tone),
        )
        look[3], look[6] = 0.38, 0.2
    elif material == EYE:
        ex, ey = ax - 0.31, y - 0.1
        ex += 0.012 if x > 0 else -0.012
        r = math.sqrt(ex * ex + ey * ey)
        white = 1 - 0.35 * smoothstep(0.06, 0.14, abs(ex)) - 0.3 * smoothstep(0.0, 0.07, ey)
        look[0], look[1], look[2] = 0.72 * white, 0.68 * white, 0.62 * white
        iris = smoothstep(0.084, 0.078, r)
        angle = math.atan2(ey, ex)
        fibre = 0.6 + 0.6 * noise(angle * 9, r * 20, 1.0)
        edge = 1 - 0.7 * smoothstep(0.055, 0.084, r)
        look[0] = mix(look[0], 0.1 * fibre * edge, iris)
        look[1] = mix(look[1], 0.16 * fibre * edge, iris)
        look[2] = mix(look[2], 0.2 * fibre * edge, iris)
        pupil = smoothstep(0.04, 0.034, r)
        glint = smoothstep(
            0.022, 0.014, math.sqrt((x - math.copysign(0.31, x) + 0.028) ** 2 + (ey - 0.03) ** 2)
        )
        for c in range(3):
            look[c] = mix(look[c] * (1 - pupil), 2.5, glint)
        look[3] = 0.12
    elif material == HAIR or material == BEARD:
        strand = fbm(x * 70, y * 6 + 3 * ax, z * 60, 3)
        grey = 0.75 * hair if material == HAIR else 0.9 * hair
        v = 0.5 + 0.9 * strand
        look[0] = mix(0.09, 0.5, grey) * v
        look[1] = mix(0.052, 0.47, grey) * v
        look[2] = mix(0.03, 0.42, grey) * v
        look[3], look[6] = 0.42, 0.25
    elif material == CAP:
        weave = 0.8 + 0.4 * noise(x * 120, y * 120, z * 120)
        look[0], look[1], look[2] = who[9] * weave, who[10] * weave, who[11] * weave
        look[3], look[6] = 0.8, 0.1
    elif material == PEAK:
        look[0], look[1], look[2] = 0.012, 0.012, 0.016
        look[3] = 0.22 if who[7] < 1.5 else 0.6
    else:
        wear = 0.8 + 0.3 * noise(x * 30, y * 30, z * 30)
        look[0], look[1], look[2] = 0.9 * wear, 0.6 * wear, 0.22 * wear
        look[3], look[4] = 0.25, 1.0
