"""The railway's emblem: flat line art of a tank engine on a round enamel sign, with lettering."""

import math
from pathlib import Path

import numpy as np
import PIL.Image
import PIL.ImageDraw
import PIL.ImageFont

SIZE = 2048
OVERSAMPLE = 2
COBALT, CREAM, INK, RED, COPPER = "#14366F", "#F4F1E8", "#1B1D22", "#A93426", "#B8703C"
FONT = (
    Path(__file__).resolve().parents[2]
    / "enamel/web/static/web/fonts/barlow-condensed-latin-600-normal.woff2"
)


class Plate:
    """Drawing in units of the finished picture, at a multiple of its size."""

    def __init__(self) -> None:
        self.scale = OVERSAMPLE
        self.image = PIL.Image.new("RGB", (SIZE * self.scale,) * 2, CREAM)
        self.pen = PIL.ImageDraw.Draw(self.image)

    def disc(self, x, y, r, fill=None, line=None, width=0):
        box = [v * self.scale for v in (x - r, y - r, x + r, y + r)]
        self.pen.ellipse(box, fill=fill, outline=line, width=width * self.scale)

    def slab(self, left, top, right, bottom, fill=None, line=INK, width=10, radius=0):
        box = [v * self.scale for v in (left, top, right, bottom)]
        self.pen.rounded_rectangle(box, radius * self.scale, fill, line, width * self.scale)

    def shape(self, points, fill, line=INK, width=10):
        scaled = [(x * self.scale, y * self.scale) for x, y in points]
        self.pen.polygon(scaled, fill=fill)
        self.pen.line([*scaled, scaled[0]], fill=line, width=width * self.scale, joint="curve")

    def stroke(self, points, line=INK, width=10):
        scaled = [(x * self.scale, y * self.scale) for x, y in points]
        self.pen.line(scaled, fill=line, width=width * self.scale, joint="curve")

    def lettering(self, text, radius, height, middle, fill, inward=False):
        """Letters on a circle round the picture's middle; ``middle`` is the angle, 0 at the top."""
        font = PIL.ImageFont.truetype(str(FONT), height * self.scale)
        spread = 1.12
        widths = [font.getlength(letter) * spread for letter in text]
        turn = -1 if inward else 1
        angle = middle - turn * sum(widths) / 2 / (radius * self.scale)
        for letter, width in zip(text, widths, strict=True):
            angle += turn * width / 2 / (radius * self.scale)
            tile = PIL.Image.new("L", (int(height * self.scale * 2),) * 2, 0)
            centre = tile.width / 2
            PIL.ImageDraw.Draw(tile).text((centre, centre), letter, 255, font=font, anchor="mm")
            degrees = -math.degrees(angle) + (180 if inward else 0)
            tile = tile.rotate(degrees, PIL.Image.Resampling.BICUBIC)
            x = (SIZE / 2 + radius * math.sin(angle)) * self.scale - centre
            y = (SIZE / 2 - radius * math.cos(angle)) * self.scale - centre
            self.image.paste(PIL.Image.new("RGB", tile.size, fill), (int(x), int(y)), tile)
            angle += turn * width / 2 / (radius * self.scale)


def engine(p: Plate) -> None:
    """The tank engine, side on, running to the right."""
    for number in range(7):  # smoke, back to front
        t = number / 6
        p.disc(1330 - 560 * t, 560 - 110 * math.sin(t * 2.2) - 40 * t, 66 + 62 * t, CREAM, INK, 10)
    for number in range(7):
        t = number / 6
        p.disc(1330 - 560 * t, 575 - 110 * math.sin(t * 2.2) - 40 * t, 56 + 58 * t, CREAM)
    p.slab(1290, 640, 1380, 800, INK, radius=6)
    p.shape([(1262, 600), (1408, 600), (1388, 656), (1282, 656)], INK)
    p.slab(520, 790, 1470, 1070, COBALT, radius=40)
    p.slab(1440, 770, 1500, 1090, INK, radius=14)
    p.disc(1516, 930, 26, COPPER, INK, 8)
    for x in (820, 1010, 1210, 1390):
        p.slab(x, 790, x + 22, 1070, COPPER, width=6)
    p.shape([(1040, 790), (1060, 716), (1100, 700), (1140, 716), (1160, 790)], COPPER)
    p.slab(850, 726, 930, 790, COPPER, radius=18)
    p.slab(730, 900, 1240, 1090, RED, radius=16)
    p.slab(756, 926, 1214, 1064, None, CREAM, 8, 10)
    p.slab(470, 640, 760, 1100, COBALT, radius=10)
    p.slab(520, 700, 710, 850, CREAM, radius=20)
    p.slab(520, 700, 615, 850, None, radius=4, width=8)
    p.shape([(430, 640), (460, 596), (780, 596), (800, 640)], INK)
    p.slab(400, 860, 480, 1100, INK, radius=10)
    for row in range(4):
        p.stroke([(412, 900 + 48 * row), (468, 900 + 48 * row)], COPPER, 6)
    p.slab(380, 1096, 1560, 1150, INK, radius=8)
    p.slab(1540, 1086, 1580, 1190, RED, radius=6)
    p.slab(360, 1086, 400, 1190, RED, radius=6)
    p.shape([(1470, 1150), (1590, 1150), (1640, 1290), (1500, 1290)], INK)
    for bar in range(4):
        p.stroke([(1494 + 26 * bar, 1160), (1520 + 32 * bar, 1282)], CREAM, 6)
    for x, r in ((620, 150), (930, 150), (1240, 150), (1440, 92)):
        p.disc(x, 1310 - r, r, CREAM, INK, 22)
        p.disc(x, 1310 - r, r - 26, None, RED, 12)
        for spoke in range(12):
            angle = spoke * math.pi / 6
            p.stroke(
                [(x, 1310 - r), (x + (r - 24) * math.cos(angle), 1310 - r + (r - 24) * math.sin(angle))], RED, 9
            )  # fmt: skip
        p.disc(x, 1310 - r, r * 0.24, RED, INK, 8)
    p.slab(600, 1172, 1262, 1206, CREAM, width=8, radius=16)
    p.slab(1180, 1120, 1400, 1190, COPPER, width=9, radius=14)
    for x in (620, 930, 1240):
        p.disc(x, 1189, 20, INK)
    for rivet in range(22):
        p.disc(545 + rivet * 41, 808, 5, CREAM)
        p.disc(420 + rivet * 52, 1122, 6, COPPER)
    p.slab(330, 1310, 1718, 1332, INK)
    for sleeper in range(15):
        p.slab(360 + sleeper * 92, 1336, 408 + sleeper * 92, 1366, COPPER, width=6)


def draw():
    p = Plate()
    p.image.paste("#D9D5C9", (0, 0, *p.image.size))
    middle = SIZE / 2
    p.disc(middle, middle, 1000, COBALT, INK, 10)
    p.disc(middle, middle, 972, None, CREAM, 10)
    p.disc(middle, middle, 760, CREAM, CREAM, 10)
    p.disc(middle, middle, 742, CREAM, COBALT, 8)
    for ray in range(36):
        angle = ray * math.pi / 18
        inner, outer = 560, 722
        width = 0.028
        p.shape(
            [
                (middle + r * math.sin(angle + d), middle - r * math.cos(angle + d))
                for r, d in ((inner, -width / 2), (outer, -width), (outer, width), (inner, width / 2))
            ],
            "#E9DFC6", "#E9DFC6", 1,
        )  # fmt: skip
    engine(p)
    p.lettering("KESTREL VALE", 866, 190, 0.0, CREAM)
    p.lettering("LIGHT RAILWAY", 866, 170, math.pi, CREAM, inward=True)
    for side in (-1, 1):
        for star in range(2):
            angle = side * (math.pi / 2 - 0.1 + 0.2 * star)
            p.disc(middle + 866 * math.sin(angle), middle - 866 * math.cos(angle), 20, COPPER)
    return np.asarray(p.image.resize((SIZE, SIZE), PIL.Image.Resampling.LANCZOS)), {}
