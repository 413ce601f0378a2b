"""XMP in and out: RDF/XML packets (ISO 16684-1) with the IPTC properties for AI-made pictures."""

import xml.etree.ElementTree as tree
from collections.abc import Mapping

RDF = "http://www.w3.org/1999/02/22-rdf-syntax-ns#"
IPTC_EXT = "http://iptc.org/std/Iptc4xmpExt/2008-02-29/"
NAMESPACES = {
    "x": "adobe:ns:meta/",
    "rdf": RDF,
    "dc": "http://purl.org/dc/elements/1.1/",
    "xmp": "http://ns.adobe.com/xap/1.0/",
    "xmpMM": "http://ns.adobe.com/xap/1.0/mm/",
    "pdf": "http://ns.adobe.com/pdf/1.3/",
    "pdfxid": "http://www.npes.org/pdfx/ns/id/",
    "Iptc4xmpExt": IPTC_EXT,
    "enamel": "urn:enamel:print:1",
}
SOURCE_TYPE = "http://cv.iptc.org/newscodes/digitalsourcetype/"
"""IPTC's vocabulary of digital source types."""
AI_MADE = SOURCE_TYPE + "trainedAlgorithmicMedia"
AI_EDITED = SOURCE_TYPE + "compositeWithTrainedAlgorithmicMedia"
AI_ENHANCED = SOURCE_TYPE + "algorithmicallyEnhanced"
PREVIEW_COPY = "Preview copy"
"""Label of preview copies, which are not meant to be printed."""
MAX_PACKET = 2_000_000

for prefix, uri in NAMESPACES.items():
    tree.register_namespace(prefix, uri)


def properties(packet: str) -> dict[str, str]:
    """Return the plain properties of a packet by their local name: attributes, texts, first items of lists.

    A packet that can't be read, or that declares its own entities, has none.
    """
    if len(packet) > MAX_PACKET or "<!DOCTYPE" in packet or "<!ENTITY" in packet:
        return {}
    start, end = packet.find("<"), packet.rfind(">")
    try:
        root = tree.fromstring(_between_marks(packet[start : end + 1]))
    except tree.ParseError:
        return {}
    found: dict[str, str] = {}
    for about in root.iter(f"{{{RDF}}}Description"):
        for name, value in about.attrib.items():
            found.setdefault(_local(name), value)
        for element in about:
            item = element.find(f".//{{{RDF}}}li")
            text = (item if item is not None else element).text
            link = element.get(f"{{{RDF}}}resource")
            if link or (text and text.strip()):
                found.setdefault(_local(element.tag), link or str(text).strip())
    return found


def _between_marks(packet: str) -> str:
    """Return the packet without the marks around it, which are processing instructions."""
    while packet.startswith("<?"):
        packet = packet[packet.find("?>") + 2 :].lstrip()
    if packet.endswith("?>"):
        packet = packet[: packet.rfind("<?")].rstrip()
    return packet


def _local(name: str) -> str:
    return name.rsplit("}", 1)[-1]


def packet(values: Mapping[str, str]) -> bytes:
    """Return a packet with these properties, by prefixed name such as ``dc:title`` or
    ``Iptc4xmpExt:DigitalSourceType``; those that are empty are left out.

    Titles and descriptions are language alternatives, creators lists, as ISO 16684-1 wants them.
    """
    top = tree.Element(_tag("x:xmpmeta"))
    about = tree.SubElement(
        tree.SubElement(top, _tag("rdf:RDF")), _tag("rdf:Description"), {_tag("rdf:about"): ""}
    )
    for name, value in values.items():
        if not value:
            continue
        element = tree.SubElement(about, _tag(name))
        if name in ("dc:title", "dc:description"):
            alternatives = tree.SubElement(element, _tag("rdf:Alt"))
            language = {"{http://www.w3.org/XML/1998/namespace}lang": "x-default"}
            tree.SubElement(alternatives, _tag("rdf:li"), language).text = _clean(value)
        elif value.startswith("http"):
            element.set(_tag("rdf:resource"), value)
        else:
            element.text = _clean(value)
    body = tree.tostring(top, encoding="unicode")
    return (
        f'<?xpacket begin="\ufeff" id="W5M0MpCehiHzreSzNTczkc9d"?>\n{body}\n<?xpacket end="w"?>'
    ).encode()


def _clean(text: str) -> str:
    """Without the control characters that XML has no way to write."""
    return "".join(char for char in text if char in "\t\n" or ord(char) >= 0x20)


def _tag(name: str) -> str:
    prefix, local = name.split(":", 1)
    return f"{{{NAMESPACES[prefix]}}}{local}"
