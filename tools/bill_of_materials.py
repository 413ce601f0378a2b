"""Writes the bill of materials: `python -m tools.bill_of_materials`.

A CycloneDX 1.6 file of what Enamel is installed with (Python packages with all extras), ships (scripts,
fonts, models, colour profiles) and under which licences. The licences' page is made from it.
"""

import base64
import json
import re
from collections.abc import Iterator
from importlib.metadata import Distribution, PackageNotFoundError, distribution, version
from pathlib import Path

from cyclonedx.contrib.license.factories import LicenseFactory
from cyclonedx.model import HashAlgorithm, HashType, Property
from cyclonedx.model.bom import Bom
from cyclonedx.model.component import Component, ComponentType
from cyclonedx.output.json import JsonV1Dot6
from packageurl import PackageURL
from packaging.requirements import Requirement

from enamel.core.networks.cards import SHIPPED
from enamel.maintenance.licences import (
    COLOUR_PROFILES,
    FILE,
    KIND,
    MODELS,
    PACKAGES,
    SCRIPTS_AND_FONTS,
)

ROOT = Path(__file__).parents[1]
EXTRAS = ("", "bucket", "checkpoints", "cluster")
"""Extras that people install; those for development are left out."""
SCRIPTS = ("openseadragon", "tailwindcss", "@fontsource/barlow", "@fontsource/barlow-condensed",
           "@fontsource/ibm-plex-mono")  # fmt: skip
"""npm packages whose files are shipped."""
PROFILES = {"coated.icc": "Zlib", "grey.icc": "Zlib", "wide-rgb.icc": "CC0-1.0"}
SPDX = {
    "Apache License 2.0": "Apache-2.0", "Apache 2.0": "Apache-2.0", "Apache Software License": "Apache-2.0",
    "Apache 2.0 License": "Apache-2.0", "Apache": "Apache-2.0", "BSD License": "BSD-3-Clause",
    "BSD": "BSD-3-Clause", "BSD 3-Clause License": "BSD-3-Clause", "MIT License": "MIT",
    "GNU Lesser General Public License v3 (LGPLv3)": "LGPL-3.0-only",
    "Mozilla Public License 2.0 (MPL 2.0)": "MPL-2.0", "Python Software Foundation License": "PSF-2.0",
    "ISC License (ISCL)": "ISC", "MIT license": "MIT", "3-Clause BSD License": "BSD-3-Clause",
    "GNU Lesser General Public License v3 or later (LGPLv3+)": "LGPL-3.0-or-later",
}  # fmt: skip
"""SPDX identifiers for names that packages give their licences."""


def bill_of_materials() -> str:
    """Return the file's text: the same for the same versions."""
    parts = [*packages(), *scripts(), *models(), *profiles()]
    enamel = Component(
        name="enamel", version=version("enamel"), type=ComponentType.APPLICATION, bom_ref="enamel"
    )
    bom = Bom(components=parts)
    bom.metadata.component = enamel
    bom.register_dependency(enamel, parts)
    made = json.loads(JsonV1Dot6(bom).output_as_string())
    # who made it when would make every file differ
    del made["metadata"]["timestamp"]
    made.pop("serialNumber", None)
    made.pop("dependencies", None)
    return json.dumps(made, indent=1, ensure_ascii=False, sort_keys=True) + "\n"


def packages() -> Iterator[Component]:
    """Python packages that Enamel needs, with those that they need in turn."""
    for name, one in sorted(needed("enamel", EXTRAS, {}).items()):
        number = one.version.split("+")[0]  # without the build, which differs by machine
        yield component(name, number, PACKAGES, licence_of(one),
                        purl=PackageURL("pypi", None, name, number))  # fmt: skip


def needed(
    name: str, extras: tuple[str, ...], found: dict[str, Distribution]
) -> dict[str, Distribution]:
    """Add the installed packages that one needs with these extras to those found already."""
    for line in distribution(name).requires or ():
        requirement = Requirement(line)
        wanted = requirement.marker is None or any(
            requirement.marker.evaluate({"extra": extra}) for extra in extras
        )
        known = re.sub(r"[-_.]+", "-", requirement.name).lower()
        if not wanted or known == "enamel":
            continue
        if known not in found or requirement.extras:
            try:
                found[known] = distribution(known)
            except PackageNotFoundError:  # of another build, such as one for graphics cards
                continue
            needed(known, ("", *requirement.extras), found)
    return found


def licence_of(package: Distribution) -> str:
    """Return what a package's metadata gives as its licence, as an SPDX expression where it is known."""
    declared = package.metadata
    text = (declared.get_all("License-Expression") or [""])[0]
    if not text:
        names = [
            line.split(" :: ")[-1]
            for line in declared.get_all("Classifier") or ()
            if line.startswith("License :: ")
        ]
        text = " AND ".join(dict.fromkeys(filter(None, (SPDX.get(name, name) for name in names))))
    first = (declared.get_all("License") or [""])[0].strip().split("\n")[0]
    return text or SPDX.get(first, first) or "see the package"


def scripts() -> Iterator[Component]:
    """npm packages whose files are shipped."""
    locked = json.loads((ROOT / "package-lock.json").read_text())["packages"]
    for name in SCRIPTS:
        one = locked[f"node_modules/{name}"]
        group, _, short = name.rpartition("/")
        digest = base64.b64decode(one["integrity"].removeprefix("sha512-")).hex()
        yield component(name, one["version"], SCRIPTS_AND_FONTS, one["license"],
                        purl=PackageURL("npm", group or None, short, one["version"]),
                        hashes=[HashType(alg=HashAlgorithm.SHA_512, content=digest)])  # fmt: skip


def models() -> Iterator[Component]:
    """Trained networks."""
    for line in (SHIPPED / "SHA256SUMS").read_text().splitlines():
        digest, file = line.split()
        card = json.loads((SHIPPED / file).with_suffix(".json").read_text())
        steps = f"{card['trained']['steps']} steps"
        yield component(card["name"], steps, MODELS, card["licence"],
                        kind=ComponentType.MACHINE_LEARNING_MODEL,
                        hashes=[HashType(alg=HashAlgorithm.SHA_256, content=digest)])  # fmt: skip


def profiles() -> Iterator[Component]:
    """Colour profiles."""
    for name, licence in PROFILES.items():
        yield component(name, "", COLOUR_PROFILES, licence, kind=ComponentType.FILE)


def component(
    name: str, number: str, group: str, licence: str, *,
    purl: PackageURL | None = None, kind: ComponentType = ComponentType.LIBRARY,
    hashes: list[HashType] | None = None,
) -> Component:  # fmt: skip
    return Component(
        name=name, version=number or None, type=kind, purl=purl, bom_ref=f"{group} {name}",
        hashes=hashes or (), licenses=[LicenseFactory().make_from_string(licence)],
        properties=[Property(name=KIND, value=group)],
    )  # fmt: skip


if __name__ == "__main__":
    FILE.write_text(bill_of_materials())
