"""Make refiners from the cards of checkpoints, with adapters, a structure guide or another VAE."""

from dataclasses import replace

import numpy as np

from enamel.core.checkpoints.adapters import AdapterFile
from enamel.core.checkpoints.devices import TestedDevice, require_installed
from enamel.core.checkpoints.folder import Part, contents_of, part_of
from enamel.core.checkpoints.latent import LatentRefiner
from enamel.core.checkpoints.loading import Loaded, loaded
from enamel.core.diffusion.denoiser import Holding
from enamel.core.diffusion.predictions import read_noise_schedule
from enamel.core.errors import Refusal
from enamel.core.networks.cards import CheckpointCard, FilesCard, card
from enamel.core.schedule import Kit, content_key


def refiner(
    entry: CheckpointCard, digest: str | None = None, kit: Kit | None = None
) -> LatentRefiner:
    """Return a checkpoint as a refiner; its parts are loaded on first use.

    Raises
    ------
    Refusal
        When the extra is not installed, or a file is missing or has changed.
    """
    require_installed()
    kit = kit or Kit()
    _verified(entry, kit.sha256)
    adapters = [_beside(one.name, "adapter", one.sha256) for one in kit.adapters]
    guide = _beside(kit.guide, "guide", kit.guide_sha256) if kit.guide else None
    vae = _beside(kit.vae, "vae", kit.vae_sha256) if kit.vae else None
    used = [one.digest for one in (*adapters, guide, vae) if one]
    weights = [one.weight for one in kit.adapters]
    known = content_key(entry.digest, used, weights, kit.guide, kit.vae) if used else entry.digest
    if digest not in (None, known):
        entry.verify(digest)
    spec = replace(entry.facts_as_spec(known), holding=Holding.GUIDE if guide else Holding.START)

    def load() -> Loaded:
        contents = contents_of(entry.file)
        guiding = part_of(guide.file, "guide") if guide else None
        if guiding is not None:
            _suits(guiding, contents.network, "cross_attention_dim", kit.guide, entry.name)
        if vae is not None:
            other = part_of(vae.file, "vae")
            _suits(other, contents.vae, "latent_channels", kit.vae, entry.name)
            contents = replace(contents, vae=other)
        return loaded(
            contents,
            TestedDevice.read(entry.checkpoint["runs"]),
            adapters=tuple(
                AdapterFile(one.file / one.listed[0]["path"], weight)
                for one, weight in zip(adapters, weights, strict=True)
            ),
            guide=guiding,
        )

    noise_schedule = read_noise_schedule(entry.checkpoint["scheduler"])
    latent_preview = np.asarray(entry.checkpoint["latent_preview"], np.float32)
    return LatentRefiner(
        spec, load, noise_schedule, latent_preview, (_again, (entry.name, known, kit))
    )


def _again(name: str, digest: str, kit: Kit) -> LatentRefiner:
    """Return the same in another process."""
    entry = card(name, "refiner")
    assert isinstance(entry, CheckpointCard)
    return refiner(entry, digest, kit)


def _suits(part: Part, own: Part, what: str, name: str, checkpoint: str) -> None:
    """Refuse a part whose configuration says that it was made for another kind of checkpoint."""
    theirs, ours = part.config.get(what), own.config.get(what)
    if None not in (theirs, ours) and theirs != ours:
        raise Refusal(
            f"{name} was made for another kind of checkpoint than {checkpoint}: its {what} is {theirs}, "
            f"not {ours}. Choose one of the same family."
        )


def _beside(name: str, kind: str, sha256: str) -> FilesCard:
    """Return the card of an adapter, guide or VAE."""
    entry = card(name, kind)
    assert isinstance(entry, FilesCard)
    _verified(entry, sha256)
    return entry


def _verified(entry: FilesCard, sha256: str) -> None:
    """Refuse a card whose files differ from those that a schedule names."""
    entry.verify(None)
    if sha256 not in ("", entry.sha256):
        raise Refusal(
            f"The schedule was made with another {entry.name}: its files have the hash {sha256[:12]}…, those "
            f"here {entry.sha256[:12]}…. Add the right ones, or choose {entry.name} again."
        )
