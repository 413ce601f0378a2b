"""A small renderer of signed distance fields: shapes, value noise, and a ray marcher with shading.

A scene is two compiled functions: ``shape(x, y, z, out)`` writes distance and material number, and
``skin(material, x, y, z, nx, ny, nz, out)`` writes colour (linear), roughness, metalness and glow.
"""

import math

import numpy as np
from numba import njit, prange

FAST = {"fastmath": True, "cache": True}


@njit(inline="always", **FAST)
def mix(a, b, t):
    return a + (b - a) * t


@njit(inline="always", **FAST)
def clamp(v, low=0.0, high=1.0):
    return min(max(v, low), high)


@njit(inline="always", **FAST)
def wrap(v, period):
    """What is left of v within its period."""
    return v - period * math.floor(v / period)


@njit(inline="always", **FAST)
def smoothstep(a, b, v):
    t = clamp((v - a) / (b - a))
    return t * t * (3 - 2 * t)


@njit(inline="always", **FAST)
def union(a, b, k):
    """Smooth union: the smaller distance, rounded over k where both are close."""
    h = max(k - abs(a - b), 0.0) / k
    return min(a, b) - h * h * k * 0.25


@njit(inline="always", **FAST)
def carve(a, b, k):
    """Smooth difference: a without b."""
    h = max(k - abs(a + b), 0.0) / k
    return max(a, -b) + h * h * k * 0.25


@njit(inline="always", **FAST)
def sphere(x, y, z, r):
    return math.sqrt(x * x + y * y + z * z) - r


@njit(inline="always", **FAST)
def ellipsoid(x, y, z, a, b, c):
    k0 = math.sqrt((x / a) ** 2 + (y / b) ** 2 + (z / c) ** 2)
    k1 = math.sqrt((x / a**2) ** 2 + (y / b**2) ** 2 + (z / c**2) ** 2)
    return k0 * (k0 - 1.0) / (k1 + 1e-9)


@njit(inline="always", **FAST)
def box(x, y, z, a, b, c, r):
    """Box of half sides a, b, c with edges rounded by r."""
    qx, qy, qz = abs(x) - a + r, abs(y) - b + r, abs(z) - c + r
    outside = math.sqrt(max(qx, 0.0) ** 2 + max(qy, 0.0) ** 2 + max(qz, 0.0) ** 2)
    return outside + min(max(qx, max(qy, qz)), 0.0) - r


@njit(inline="always", **FAST)
def capsule(x, y, z, ax, ay, az, bx, by, bz, ra, rb):
    """Round stick from a to b, radius going from ra to rb."""
    px, py, pz = x - ax, y - ay, z - az
    dx, dy, dz = bx - ax, by - ay, bz - az
    t = clamp((px * dx + py * dy + pz * dz) / (dx * dx + dy * dy + dz * dz))
    return math.sqrt((px - dx * t) ** 2 + (py - dy * t) ** 2 + (pz - dz * t) ** 2) - mix(ra, rb, t)


@njit(inline="always", **FAST)
def cylinder(x, y, z, r, h, edge):
    """Upright cylinder of radius r and half height h with a rounded edge."""
    dx = math.sqrt(x * x + z * z) - r + edge
    dy = abs(y) - h + edge
    return min(max(dx, dy), 0.0) + math.sqrt(max(dx, 0.0) ** 2 + max(dy, 0.0) ** 2) - edge


@njit(inline="always", **FAST)
def torus(x, y, z, major, minor):
    """Ring in the x–y plane."""
    q = math.sqrt(x * x + y * y) - major
    return math.sqrt(q * q + z * z) - minor


@njit(inline="always", **FAST)
def hash3(i, j, k):
    n = (i * 374761393 + j * 668265263 + k * 2147483647) & 0xFFFFFFFF
    n = ((n ^ (n >> 13)) * 1274126177) & 0xFFFFFFFF
    return ((n ^ (n >> 16)) & 0xFFFF) / 65535.0


@njit(**FAST)
def noise(x, y, z):
    """Value noise in 0…1."""
    i, j, k = math.floor(x), math.floor(y), math.floor(z)
    u, v, w = x - i, y - j, z - k
    u, v, w = u * u * (3 - 2 * u), v * v * (3 - 2 * v), w * w * (3 - 2 * w)
    i, j, k = int(i), int(j), int(k)
    near = mix(
        mix(hash3(i, j, k), hash3(i + 1, j, k), u),
        mix(hash3(i, j + 1, k), hash3(i + 1, j + 1, k), u),
        v,
    )
    far = mix(
        mix(hash3(i, j, k + 1), hash3(i + 1, j, k + 1), u),
        mix(hash3(i, j + 1, k + 1), hash3(i + 1, j + 1, k + 1), u),
        v,
    )
    return mix(near, far, w)


@njit(**FAST)
def fbm(x, y, z, octaves):
    """Sum of octaves of value noise, about 0…1."""
    total, weight, scale = 0.0, 0.5, 1.0
    for _ in range(octaves):
        total += weight * noise(x * scale, y * scale, z * scale)
        weight *= 0.5
        scale *= 2.03
    return total


@njit(**FAST)
def brick(u, v, width, height, mortar):
    """Running bond: (0 in mortar … 1 in brick, a number for the brick)."""
    row = math.floor(v / height)
    u = u + (0.5 * width if int(row) % 2 else 0.0)
    column = math.floor(u / width)
    du = min(u - column * width, (column + 1) * width - u)
    dv = min(v - row * height, (row + 1) * height - v)
    edge = min(du, dv) + (noise(u * 9 / width, v * 9 / height, 3.0) - 0.5) * mortar
    return smoothstep(mortar * 0.5, mortar * 1.3, edge), hash3(int(column), int(row), 7)


@njit(**FAST)
def _march(shape, ox, oy, oz, dx, dy, dz, start, far, steps, out):
    t = start
    for _ in range(steps):
        shape(ox + dx * t, oy + dy * t, oz + dz * t, out)
        if out[0] < 0.0004 * t:
            return t
        t += out[0] * 0.8
        if t > far:
            break
    return -1.0


@njit(**FAST)
def _shadow(shape, ox, oy, oz, lx, ly, lz, softness, far, out):
    lit, t = 1.0, 0.02
    for _ in range(40):
        shape(ox + lx * t, oy + ly * t, oz + lz * t, out)
        lit = min(lit, 0.5 + 0.5 * out[0] / (softness * t))
        if lit < 0 or t > far:
            break
        t += clamp(out[0], 0.012, 0.35)
    lit = max(lit, 0.0)
    return lit * lit * (3 - 2 * lit)


@njit(**FAST)
def _light(shape, skin, px, py, pz, dx, dy, dz, setting, sky, out, look, result):
    """Radiance of the surface at p seen along d, into ``result``."""
    shape(px, py, pz, out)
    material = int(out[1])
    e = 0.0008
    nx = ny = nz = 0.0
    for sx, sy, sz in ((1.0, -1.0, -1.0), (-1.0, -1.0, 1.0), (-1.0, 1.0, -1.0), (1.0, 1.0, 1.0)):
        shape(px + sx * e, py + sy * e, pz + sz * e, out)
        nx, ny, nz = nx + sx * out[0], ny + sy * out[0], nz + sz * out[0]
    length = math.sqrt(nx * nx + ny * ny + nz * nz) + 1e-12
    nx, ny, nz = nx / length, ny / length, nz / length
    skin(material, px, py, pz, nx, ny, nz, look)
    rough, metal, glow, soft = look[3], look[4], look[5], look[6]
    occlusion, weight = 0.0, 1.0
    for number in range(1, 6):
        reach = 0.045 * number * setting[9]
        shape(px + nx * reach, py + ny * reach, pz + nz * reach, out)
        occlusion += (reach - out[0]) * weight
        weight *= 0.7
    open_ = clamp(1.0 - 1.6 * occlusion / setting[9])
    lx, ly, lz = setting[0], setting[1], setting[2]
    facing = nx * lx + ny * ly + nz * lz
    diffuse = max(0.0, (facing + soft) / (1 + soft))
    shadow = 0.0
    if diffuse > 0:
        o = 0.006
        shadow = _shadow(
            shape, px + nx * o, py + ny * o, pz + nz * o, lx, ly, lz, setting[10], 9.0, out
        )
    hx, hy, hz = lx - dx, ly - dy, lz - dz
    length = math.sqrt(hx * hx + hy * hy + hz * hz)
    half = max(0.0, (nx * hx + ny * hy + nz * hz) / length)
    shine = 2.0 / max(rough, 0.05) ** 4
    specular = half**shine * (shine + 2) / 9 * shadow * clamp(facing * 4)
    seen = max(0.0, -(nx * dx + ny * dy + nz * dz))
    fresnel = 0.04 + 0.96 * (1 - seen) ** 5
    up = 0.5 + 0.5 * ny
    rim = (1 - seen) ** 3 * max(0.0, nx * setting[6] + ny * setting[7] + nz * setting[8])
    for c in range(3):
        ambient = mix(sky[3 + c], sky[c], up) * open_
        base = look[c]
        lit = base * (1 - metal) * (diffuse * shadow * sky[6 + c] + ambient)
        gloss = mix(0.04, base, metal) * specular * sky[6 + c] * 0.35
        result[c] = lit + gloss + glow * base + rim * sky[9 + c] * open_ * (0.3 + base)
    return nx, ny, nz, mix(fresnel * (1 - rough) ** 2, 1.0, metal), open_


@njit(parallel=True, fastmath=True)
def render(shape, skin, width, height, samples, eye, axes, zoom, setting, sky, far):
    """Colour (linear) and cover of every pixel.

    Parameters
    ----------
    eye, axes : camera place; rows right, up, forward.
    zoom : focal length in half picture heights.
    setting : light direction (3), its colour's place unused (3), rim direction (3), ambient reach,
        softness of shadows.
    sky : colours of sky, ground, key light, rim light (4 × 3).
    """
    image = np.zeros((height, width, 4), np.float32)
    for row in prange(height):
        out = np.zeros(2)
        look = np.zeros(7)
        result = np.zeros(3)
        mirror = np.zeros(3)
        for column in range(width):
            for sample in range(samples * samples):
                u = (column + (sample % samples + 0.5) / samples - width / 2) * 2 / height
                v = (height / 2 - row - (sample // samples + 0.5) / samples) * 2 / height
                dx = axes[0, 0] * u + axes[1, 0] * v + axes[2, 0] * zoom
                dy = axes[0, 1] * u + axes[1, 1] * v + axes[2, 1] * zoom
                dz = axes[0, 2] * u + axes[1, 2] * v + axes[2, 2] * zoom
                length = math.sqrt(dx * dx + dy * dy + dz * dz)
                dx, dy, dz = dx / length, dy / length, dz / length
                t = _march(shape, eye[0], eye[1], eye[2], dx, dy, dz, 0.05, far, 160, out)
                if t < 0:
                    continue
                px, py, pz = eye[0] + dx * t, eye[1] + dy * t, eye[2] + dz * t
                nx, ny, nz, reflect, open_ = _light(
                    shape, skin, px, py, pz, dx, dy, dz, setting, sky, out, look, result
                )
                rough = look[3]
                tint_r, tint_g, tint_b, metal = look[0], look[1], look[2], look[4]
                red, green, blue = result[0], result[1], result[2]
                if reflect > 0.03:
                    along = dx * nx + dy * ny + dz * nz
                    rx, ry, rz = dx - 2 * along * nx, dy - 2 * along * ny, dz - 2 * along * nz
                    o = 0.01
                    s = _march(
                        shape,
                        px + nx * o,
                        py + ny * o,
                        pz + nz * o,
                        rx,
                        ry,
                        rz,
                        0.01,
                        12.0,
                        60,
                        out,
                    )
                    if s > 0 and rough < 0.6:
                        _light(
                            shape, skin, px + nx * o + rx * s, py + ny * o + ry * s,
                            pz + nz * o + rz * s, rx, ry, rz, setting, sky, out, look, mirror,
                        )  # fmt: skip
                    else:
                        up = smoothstep(-0.3, 0.6, ry)
                        band = smoothstep(0.25, 0.3, ry) * smoothstep(0.75, 0.7, ry)
                        for c in range(3):
                            mirror[c] = (
                                mix(sky[3 + c], sky[c] * 1.6, up) * open_
                                + 0.9 * band * sky[6 + c] * 0.3
                            )
                    red += reflect * mirror[0] * mix(1.0, tint_r, metal)
                    green += reflect * mirror[1] * mix(1.0, tint_g, metal)
                    blue += reflect * mirror[2] * mix(1.0, tint_b, metal)
                share = 1.0 / (samples * samples)
                # highlights are tamed before averaging, or edges of bright parts would stair-step
                image[row, column, 0] += min(red, 6.0) * share
                image[row, column, 1] += min(green, 6.0) * share
                image[row, column, 2] += min(blue, 6.0) * share
                image[row, column, 3] += share
    return image


def camera(eye, target):
    """Axes of a camera at ``eye`` looking at ``target``, its head up."""
    forward = np.subtract(target, eye).astype(float)
    forward /= np.linalg.norm(forward)
    right = np.cross(forward, [0.0, 1.0, 0.0])
    right /= np.linalg.norm(right)
    return np.array(eye, float), np.array([right, np.cross(right, forward), forward])


def unit(x, y, z):
    vector = np.array([x, y, z], float)
    return vector / np.linalg.norm(vector)


def lighting(key, rim, reach=1.0, softness=0.08):
    """The ``setting`` of `render` from directions."""
    return np.array([*unit(*key), 0, 0, 0, *unit(*rim), reach, softness])
