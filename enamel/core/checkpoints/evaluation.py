"""Evaluate each kind of network: its inputs besides the noisy latents, and its prompts.

A prompt becomes a *sequence*, which the network attends to token by token, and, where there are several
text encoders, a *summary* vector of the whole prompt.
"""

import inspect
from dataclasses import dataclass
from importlib import import_module
from typing import Any

from enamel.core.checkpoints.loading import Loaded
from enamel.core.checkpoints.prompts import phrases_of
from enamel.core.errors import Refusal

TOKENS_WITHOUT = 256
"""Length of the empty sequence in place of a third text encoder that was left out."""
LARGEST_PIECE = 256
"""Most tokens of a piece, for encoders without a limit."""


@dataclass(frozen=True, slots=True)
class EncodedPrompt:
    """A prompt as a network takes it. Tensors: (1, tokens, features), (1, features)."""

    sequence: Any
    summary: Any = None


@dataclass(frozen=True, slots=True)
class NetworkInputs:
    """Inputs of a network besides its latents. ``size`` (height, width) in px."""

    time: float
    words: EncodedPrompt
    size: tuple[int, int]
    structure: Any = None
    """(1, 3, height, width) in 0…1, where there is a structure guide."""
    hold: float = 0.0
    guidance: float = 1.0


def check(network: Any, role: str, channels: int) -> None:
    """Refuse a network with inputs that Enamel can't provide."""
    wanted = inspect.signature(network.forward).parameters
    kind = type(network).__name__
    takes = int(network.config.in_channels)
    if takes != channels:
        raise Refusal(
            f"Its network takes {takes} channels where its vae gives {channels}: it was made for filling "
            "in or for its own guide. Take the plain checkpoint of the family."
        )
    known = role == "unet" and "added_cond_kwargs" in wanted and "sample" in wanted
    joint = {"hidden_states", "encoder_hidden_states", "pooled_projections", "timestep"}
    known |= role == "transformer" and joint <= set(wanted) and "img_ids" not in wanted
    if not known:
        raise Refusal(
            f"Its network is a {kind}, which Enamel does not know how to ask. It knows U-Nets guided by text "
            "and transformers that take latents with a sequence and a summary of the words."
        )


def evaluate(one: Loaded, latents: Any, asked: NetworkInputs) -> Any:
    """Return the network's output for latents (1, channels, height, width), given in its own form."""
    torch = import_module("torch")
    time = torch.tensor([asked.time], device=latents.device, dtype=torch.float32)
    if one.contents.network.role == "transformer":
        return one.network(
            hidden_states=latents,
            timestep=time,
            encoder_hidden_states=asked.words.sequence,
            pooled_projections=asked.words.summary,
            return_dict=False,
        )[0]
    added = _added(one, asked, latents)
    guided: dict[str, Any] = {}
    if one.guide is not None and asked.hold > 0 and asked.structure is not None:
        down, middle = one.guide(
            latents, time, asked.words.sequence, asked.structure, asked.hold,
            added_cond_kwargs=added, return_dict=False,
        )  # fmt: skip
        guided = {
            "down_block_additional_residuals": down,
            "mid_block_additional_residual": middle,
        }
    return one.network(
        latents,
        time,
        encoder_hidden_states=asked.words.sequence,
        timestep_cond=_embedded_guidance(one, asked, latents),
        added_cond_kwargs=added,
        return_dict=False,
        **guided,
    )[0]


def guide_factor(guide: Any) -> int:
    """Return how many px of a structure correspond to a latent cell of a guide."""
    return int(2 ** (len(guide.config.conditioning_embedding_out_channels) - 1))


def _added(one: Loaded, asked: NetworkInputs, latents: Any) -> dict[str, Any] | None:
    """Return the added conditions of a U-Net: summary and sizes in px, which are those of the picture,
    its crop (none) and the result; or the first two and an aesthetic score.
    """
    torch = import_module("torch")
    config = one.network.config
    if getattr(config, "addition_embed_type", None) != "text_time":
        return None
    summary = asked.words.summary
    room = config.projection_class_embeddings_input_dim - summary.shape[-1]
    height, width = asked.size
    values = [height, width, 0, 0, height, width]
    if room // config.addition_time_embed_dim == 5:
        values = [*values[:4], 6]
    ids = torch.tensor([values], device=latents.device, dtype=latents.dtype)
    return {"text_embeds": summary, "time_ids": ids}


def _embedded_guidance(one: Loaded, asked: NetworkInputs, latents: Any) -> Any:
    """Return the sinusoidal embedding of the guidance scale, where a distilled network was trained with
    it (Luo et al., "Latent consistency models", 2023, app. E; the embedding as in Vaswani et al., 2017).
    """
    size = getattr(one.network.config, "time_cond_proj_dim", None)
    if size is None:
        return None
    torch = import_module("torch")
    rates = torch.exp(
        torch.arange(size // 2, dtype=torch.float32)
        * -(torch.log(torch.tensor(1e4)) / (size // 2 - 1))
    )
    waves = 1000 * max(0.0, asked.guidance - 1) * rates
    values = torch.cat([torch.sin(waves), torch.cos(waves)])[None]
    return torch.nn.functional.pad(values, (0, size - values.shape[1])).to(latents)


def encoded(one: Loaded, prompt: str, *, negative: bool = False) -> EncodedPrompt:
    """Return a prompt as the network takes it. Cached, so that tiles with the same prompt encode it once.

    Parameters
    ----------
    against : whether this is the negative prompt; some networks were trained with zeros in its place.
    """
    key = (prompt, negative)
    if key not in one.words:
        one.words[key] = _encoded(one, prompt, negative)
    kept: EncodedPrompt = one.words[key]
    return kept


def _encoded(one: Loaded, prompt: str, negative: bool) -> EncodedPrompt:
    torch = import_module("torch")
    several = len(one.encoders) > 1
    both = [
        _sequence(encoder, tokenizer, prompt, last=not several)
        for encoder, tokenizer in zip(one.encoders, one.tokenizers, strict=True)
    ]
    if one.contents.network.role == "transformer":
        words = _for_transformer(one, both, torch)
    elif several:
        longest = max(sequence.shape[1] for sequence, _ in both)
        sequences = [_padded(sequence, longest, torch) for sequence, _ in both]
        words = EncodedPrompt(torch.cat(sequences, dim=2), both[-1][1])
    else:
        words = EncodedPrompt(both[0][0])
    if (
        negative
        and not prompt.strip()
        and one.contents.empty_is_nothing
        and words.summary is not None
    ):
        return EncodedPrompt(torch.zeros_like(words.sequence), torch.zeros_like(words.summary))
    return words


def _for_transformer(one: Loaded, both: list[tuple[Any, Any]], torch: Any) -> EncodedPrompt:
    """Join the sequences of encoders with a summary along features, then append those of one without
    along tokens.
    """
    width = one.network.config.joint_attention_dim
    beside = [sequence for sequence, summary in both if summary is not None]
    behind = [sequence for sequence, summary in both if summary is None]
    longest = max(sequence.shape[1] for sequence in beside)
    joined = torch.cat([_padded(sequence, longest, torch) for sequence in beside], dim=2)
    joined = torch.nn.functional.pad(joined, (0, width - joined.shape[2]))
    rest = behind or [joined.new_zeros(1, TOKENS_WITHOUT, width)]
    summary = torch.cat([summary for _, summary in both if summary is not None], dim=1)
    return EncodedPrompt(torch.cat([joined, *rest], dim=1), summary)


def _padded(sequence: Any, length: int, torch: Any) -> Any:
    return torch.nn.functional.pad(sequence, (0, 0, 0, length - sequence.shape[1]))


def _sequence(encoder: Any, tokenizer: Any, prompt: str, *, last: bool) -> tuple[Any, Any]:
    """Return sequence and summary of one encoder; None where it has no summary.

    The prompt's tokens are cut into pieces of the encoder's length, which are encoded one by one and
    concatenated. A weighted token is moved away from the token of an empty prompt at its place.
    """
    torch = import_module("torch")
    summarises = not hasattr(encoder.config, "d_model")
    room = room_of(tokenizer)
    tokens: list[int] = []
    weights: list[float] = []
    for phrase in phrases_of(prompt):
        ids = tokenizer(phrase.text, add_special_tokens=False, verbose=False).input_ids
        tokens += ids
        weights += [phrase.weight] * len(ids)
    sequences, summaries = [], []
    for start in range(0, max(1, len(tokens)), room):
        ids, counting = _piece(
            tokenizer, tokens[start : start + room], weights[start : start + room]
        )
        sequence, summary = _run(encoder, ids, summarises, last)
        if any(weight != 1 for weight in counting):
            plain, _ = _run(encoder, _piece(tokenizer, [], [])[0], summarises, last)
            by = torch.tensor(counting, device=sequence.device, dtype=sequence.dtype)[None, :, None]
            sequence = plain + by * (sequence - plain)
        sequences.append(sequence)
        summaries.append(summary)
    return torch.cat(sequences, dim=1), summaries[0]


def room_of(tokenizer: Any) -> int:
    """Return how many tokens of a prompt fit into a piece, without its first and last token."""
    before, after = _around(tokenizer)
    return _longest(tokenizer) - len(before) - len(after)


def _longest(tokenizer: Any) -> int:
    """Return the length of a whole piece in tokens."""
    return min(int(tokenizer.model_max_length), LARGEST_PIECE)


def _around(tokenizer: Any) -> tuple[list[int], list[int]]:
    """Return the tokens that begin and end a piece."""
    plain = list(tokenizer("a", add_special_tokens=False).input_ids)
    whole = list(tokenizer("a").input_ids)
    first = next(n for n in range(len(whole)) if whole[n : n + len(plain)] == plain)
    return whole[:first], whole[first + len(plain) :]


def _piece(tokenizer: Any, ids: list[int], weights: list[float]) -> tuple[list[int], list[float]]:
    """Return a padded piece of tokens with its first and last token, and the weight of each."""
    before, after = _around(tokenizer)
    left = _longest(tokenizer) - len(before) - len(ids) - len(after)
    filled = [*before, *ids, *after, *[tokenizer.pad_token_id] * left]
    return filled, [*[1.0] * len(before), *weights, *[1.0] * (len(after) + left)]


def _run(encoder: Any, ids: list[int], summarises: bool, last: bool) -> tuple[Any, Any]:
    torch = import_module("torch")
    given = torch.tensor([ids], device=encoder.device)
    made = encoder(given, output_hidden_states=True)
    if not summarises:
        return made[0], None
    summary = getattr(made, "text_embeds", None)
    summary = made.pooler_output if summary is None else summary
    return (made.last_hidden_state if last else made.hidden_states[-2]), summary
