"""Artists' own checkpoints against the library's own pipelines."""

import inspect
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import diffusers
import numpy as np
import pytest
import safetensors.torch
import torch
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from transformers import CLIPTextModel

from enamel.core.checkpoints import evaluation, intake, loading, probe
from enamel.core.checkpoints.latent import LatentRefiner
from enamel.core.diffusion import noise
from enamel.core.diffusion.denoiser import Denoiser, Holding
from enamel.core.diffusion.refiners import refiner
from enamel.core.diffusion.samplers import Sampler, sampler_steps
from enamel.core.diffusion.sigmas import levels, sigma_of
from enamel.core.errors import Refusal, Stopped
from enamel.core.geometry import Box, Size
from enamel.core.imaging.canvas import Canvas, FloatArray, to_signed
from enamel.core.masks import Mask, RenderedMask
from enamel.core.masks.steps import Ellipse, Feather, Rectangle
from enamel.core.networks.cards import CheckpointCard
from enamel.core.pipeline.firing import fire
from enamel.core.pipeline.touchup import Patch, TouchUp, touch_up
from enamel.core.schedule import Adapter, JoinPass, Kit, Mode, Order, Protect, Refine
from enamel.core.tiling import blended
from enamel.core.tiling.executor import AHEAD
from enamel.core.tiling.guidance import GuidedDenoiser
from enamel.core.tiling.passspec import PassSpec
from enamel.core.tiling.tilestore import FolderStore
from enamel.core.upscaling import Enlarged, upscaler
from tests import checkpoints
from tests.core.test_promises import StopAfter
from tests.core.test_properties import BASE, fired
from tests.pictures import assert_same_pixels, portrait, whole
from tests.schedules import coat, quick

SIDE = 64
STEPS = 8
STRENGTH = 0.75
KINDS: dict[str, dict[str, Any]] = {
    "noise": {},
    "velocity": {"predicts": "v_prediction", "vae": "near"},
    "two-encoders": {"encoders": 2},
    "flow": {"network": "transformer", "encoders": 2},
    "three-encoders": {"network": "transformer", "encoders": 3},
}
SCHEDULERS = {
    Sampler.EULER: ("EulerDiscreteScheduler", {"use_karras_sigmas": True}),
    Sampler.EULER_ANCESTRAL: ("EulerAncestralDiscreteScheduler", {}),
    Sampler.HEUN: ("HeunDiscreteScheduler", {"use_karras_sigmas": True}),
    Sampler.DPMPP_2M: ("DPMSolverMultistepScheduler", {"use_karras_sigmas": True}),
}
"""The library's classes for Enamel's samplers."""
CASES = [
    *((name, sampler) for name in ("noise", "velocity") for sampler in Sampler),
    *((name, Sampler.EULER) for name in ("two-encoders", "flow", "three-encoders")),
]
WORDS = "the (copper:1.0) boiler"
SETTINGS = Refine(
    guidance=2.5, seed=7, prompt="the copper boiler", negative_prompt="fog", strength=STRENGTH
)


@pytest.fixture(scope="module")
def house(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Path]:
    """The tiny checkpoints, added."""
    folder = tmp_path_factory.mktemp("checkpoints")
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("ENAMEL_MODELS", str(folder / "models"))
        # in this process: the libraries take seconds to be read
        patch.setattr(intake, "answer_of", lambda _, *paths, **__: intake.tried(*map(Path, paths)))
        patch.setattr(intake, "bound_memory", lambda most: None)
        patch.setattr(probe, "SMALLEST_TILE", 128)
        patch.setattr(probe.Bench, "coding_radius", measured_once(probe.Bench.coding_radius))
        for name, kind in KINDS.items():
            intake.add_model(checkpoints.built(folder / name, **kind), name)
        yield folder
    loading.release()


def measured_once(
    measure: Callable[[probe.Bench], int | None],
) -> Callable[[probe.Bench], int | None]:
    """The VAEs here are of the same two forms, and measuring how far they reach takes seconds."""
    known: dict[int, int | None] = {}

    def measured(bench: probe.Bench) -> int | None:
        channels = bench.space.channels
        if channels not in known:
            known[channels] = measure(bench)
        return known[channels]

    return measured


class Put:
    """Noise of Enamel's own in the place of the library's, first for the start, then for each step."""

    def __init__(self, denoiser: Denoiser) -> None:
        self.denoiser = denoiser
        self.step = -1

    def of(self, step: int) -> FloatArray:
        stream = noise.START if step < 0 else noise.STEP + step
        spec = PassSpec(SETTINGS, self.denoiser.spec, Size(SIDE, SIDE))
        return spec.noise(stream, Box(0, 0, SIDE, SIDE))

    def __call__(self, shape: Any, **_: Any) -> torch.Tensor:
        found = torch.from_numpy(self.of(self.step).transpose(2, 0, 1)[None].copy())
        self.step += 1
        assert found.shape == shape
        return found


def by_the_library(
    folder: Path, denoiser: Denoiser, sampler: Sampler, patch: pytest.MonkeyPatch
) -> tuple[FloatArray, list[float]]:
    """What the library's pipeline makes of the portrait, as latents, and its noise levels."""
    flow = "transformer" in {path.name for path in folder.iterdir()}
    two = flow and not (folder / "text_encoder_3").exists()
    left_out = {"text_encoder_3": None, "tokenizer_3": None} if two else {}
    from_words = diffusers.DiffusionPipeline.from_pretrained(
        folder, local_files_only=True, **left_out
    )
    parts = {name: part for name, part in from_words.components.items() if part is not None}
    network = parts["transformer" if flow else "unet"]
    kind = checkpoints.pipeline_for(set(parts), network)
    if not flow:
        name, more = SCHEDULERS[sampler]
        scheduler = getattr(diffusers, name).from_config(from_words.scheduler.config, **more)
        from_words.components["scheduler"] = parts["scheduler"] = scheduler
        unrounded(scheduler, patch)
    if not flow:
        left_out = {"safety_checker": None, "feature_extractor": None}
    taken = inspect.signature(kind.__init__).parameters
    pipeline = kind(**parts, **{name: None for name in left_out if name in taken})
    pipeline.set_progress_bar_config(disable=True)
    put = Put(denoiser)
    for module in (type(pipeline).__module__, type(pipeline.scheduler).__module__):
        patch.setattr(sys.modules[module], "randn_tensor", put, raising=False)
    pixels = to_signed(whole(portrait(SIDE, SIDE)))
    latents = denoiser.encode(pixels)
    given = latents if latents.shape[2] == 4 else (pixels + 1) / 2
    made = pipeline(
        prompt=SETTINGS.prompt,
        negative_prompt=SETTINGS.negative_prompt,
        image=torch.from_numpy(given.transpose(2, 0, 1)[None].copy()),
        strength=STRENGTH,
        num_inference_steps=STEPS,
        guidance_scale=SETTINGS.guidance,
        output_type="latent",
        return_dict=False,
    )[0]
    sigmas = [float(sigma) for sigma in pipeline.scheduler.sigmas]
    if flow:
        sigmas = [sigma / (1 - sigma) if sigma < 1 else float("inf") for sigma in sigmas]
    sigmas = list(dict.fromkeys(sigmas))
    run = int(STEPS * STRENGTH)
    return made[0].numpy().transpose(1, 2, 0), sigmas[len(sigmas) - run - 1 :]


def unrounded(scheduler: Any, patch: pytest.MonkeyPatch) -> None:
    """Tell the network of noise levels between its steps exactly; some schedulers round them."""
    if type(scheduler).__name__ != SCHEDULERS[Sampler.DPMPP_2M][0]:
        return
    plain = scheduler.set_timesteps

    def exact(*given: Any, **named: Any) -> None:
        plain(*given, **named)
        kept = scheduler.alphas_cumprod.numpy().astype(np.float64)
        logs = np.log(np.sqrt((1 - kept) / kept))
        times = [
            scheduler._sigma_to_t(np.array(float(sigma)), logs) for sigma in scheduler.sigmas[:-1]
        ]
        scheduler.timesteps = torch.tensor(np.array(times), dtype=torch.float32)

    patch.setattr(scheduler, "set_timesteps", exact)


def by_the_engine(denoiser: Denoiser, sampler: Sampler, sigmas: list[float]) -> FloatArray:
    """What Enamel's samplers make of it at the same noise levels."""
    put = Put(denoiser)
    picture = whole(portrait(SIDE, SIDE))
    guided = GuidedDenoiser(
        denoiser, SETTINGS, picture, picture, SETTINGS.prompt, SETTINGS.negative_prompt
    )
    signal = denoiser.encode(to_signed(picture))
    state: tuple[FloatArray, ...] = (signal + put.of(-1) * np.float32(sigmas[0]),)
    for sampler_step in sampler_steps(sampler, sigmas):
        denoised = guided.predict(state[0], sampler_step)
        state = sampler_step.step(state, denoised, put.of)
    return state[0]


@pytest.mark.parametrize(("name", "sampler"), CASES)
def test_one_tile_is_what_the_librarys_own_pipeline_makes_of_it(
    name: str, sampler: Sampler, house: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    denoiser = refiner(name)
    theirs, sigmas = by_the_library(house / name, denoiser, sampler, monkeypatch)
    ours = by_the_engine(denoiser, sampler, sigmas)
    assert np.abs(ours - theirs).max() < 1e-4 * np.abs(theirs).max()


def test_karras_levels_over_the_whole_range_are_the_librarys(house: Path) -> None:
    spec = refiner("noise").spec
    kind = diffusers.EulerDiscreteScheduler
    theirs = kind(**checkpoints.SCHEDULER, use_karras_sigmas=True)
    theirs.set_timesteps(STEPS)
    ours = levels(spec.strength_map[-1][1], spec.sigma_min, STEPS, rho=spec.rho)
    assert ours == pytest.approx([float(sigma) for sigma in theirs.sigmas], rel=1e-4)


few = settings(max_examples=4, suppress_health_check=[HealthCheck.function_scoped_fixture])
refinements = st.fixed_dictionaries(
    {
        "model": st.sampled_from(["noise", "velocity", "flow"]),
        "strength": st.floats(0.1, 0.9),
        "steps": st.integers(1, 3),
        "sampler": st.sampled_from(Sampler),
        "seed": st.integers(0, 2**40),
        "hold": st.sampled_from([1.0, 0.5]),
        "guidance": st.sampled_from([1.0, 2.0]),
        "prompt": st.sampled_from(["", "the boiler", "(copper:1.4) boiler"]),
        "tile": st.tuples(st.integers(64, 120), st.integers(64, 120)),
        "overlap": st.integers(0, 32),
        "order": st.sampled_from(Order),
        "joins": st.sampled_from([None, JoinPass(0.3, 24)]),
        "extra_noise": st.sampled_from([0.0, 0.04]),
        "anchor": st.sampled_from([0.0, 0.7]),
        "anchor_radius": st.just(12),
    }
)


@few
@given(settings=refinements, corner=st.tuples(st.integers(0, 100), st.integers(0, 80)))
def test_1_a_window_equals_that_part_of_the_whole(
    house: Path, settings: dict[str, Any], corner: tuple[int, int]
) -> None:
    schedule = coat(**settings)
    window = Box(*corner, 40, 30)
    assert_same_pixels(fired(schedule, window), fired(schedule)[window.slices])


@few
@given(
    settings=refinements, mode=st.sampled_from(Mode), stops=st.lists(st.integers(1, 5), max_size=3)
)
def test_2_stopped_anywhere_and_resumed_equals_undisturbed(
    house: Path, settings: dict[str, Any], mode: Mode, stops: list[int]
) -> None:
    schedule = coat(**settings, mode=mode)
    with tempfile.TemporaryDirectory() as folder:
        for tiles in stops:
            sign = StopAfter(tiles)
            with suppress(Stopped):
                fired(schedule, work=Path(folder), on_progress=sign.on_progress, stopping=sign)
        assert_same_pixels(fired(schedule, work=Path(folder)), fired(schedule))


@few
@given(settings=refinements, mode=st.sampled_from(Mode))
def test_3_and_4_strength_0_changes_nothing_and_a_seed_is_a_picture(
    house: Path, settings: dict[str, Any], mode: Mode
) -> None:
    settings |= {"mode": mode}
    plain = whole(Enlarged(BASE, Size(144, 112), upscaler("lanczos")))
    assert_same_pixels(fired(coat(**settings | {"strength": 0.0, "anchor": 0.0})), plain)
    first = fired(coat(**settings))
    assert_same_pixels(first, fired(coat(**settings)))
    other = fired(coat(**settings | {"seed": settings["seed"] + 1}))
    assert (first != other).mean() > 0.5


@pytest.mark.parametrize("name", KINDS)
def test_3_more_strength_takes_the_latents_farther(house: Path, name: str) -> None:
    denoiser = refiner(name)
    gone = []
    for strength in (0.1, 0.4, 0.8):
        start = sigma_of(strength, denoiser.spec.strength_map)
        end = min(start, denoiser.spec.sigma_min)
        made = by_the_engine(denoiser, Sampler.EULER, levels(start, end, 4, rho=7))
        picture = denoiser.encode(to_signed(whole(portrait(SIDE, SIDE))))
        gone.append(float(np.abs(made - picture).mean()))
    assert gone == sorted(gone)


@pytest.mark.parametrize("mode", Mode)
def test_5_what_the_network_is_handed_does_not_grow_with_the_picture(
    house: Path, mode: Mode, monkeypatch: pytest.MonkeyPatch
) -> None:
    largest: dict[int, int] = {}
    for side in (240, 320):
        seen = []
        for way in ("predict", "encode", "decode"):
            plain = getattr(LatentRefiner, way)

            def counting(
                self: LatentRefiner, values: FloatArray, *more: Any, plain: Any = plain
            ) -> FloatArray:
                seen.append(values.size)  # noqa: B023
                found: FloatArray = plain(self, values, *more)
                return found

            monkeypatch.setattr(LatentRefiner, way, counting)
        monkeypatch.setattr(blended, "CODED", 64)
        with tempfile.TemporaryDirectory() as folder:
            schedule = coat(model="velocity", tile=(128, 128), mode=mode, steps=1)
            fire(portrait(side, side), schedule, Path(folder))
        largest[side] = max(seen)
        monkeypatch.undo()
    assert largest[240] == largest[320]


def test_7_a_touch_up_changes_nothing_outside_its_mask(house: Path, tmp_path: Path) -> None:
    mask = Mask(tuple(portrait().size), (Ellipse(54, 40, 22, 18), Feather(8)))
    settings = TouchUp(
        (Patch(mask, working=128, strength=0.5, seed=3),), refine=quick(model="noise")
    )
    touch_up(portrait(), settings, tmp_path / "work", tmp_path / "mended.npy")
    before, after = whole(portrait()), whole(Canvas(tmp_path / "mended.npy"))
    covered = RenderedMask(mask, portrait().size).read(Box.whole(portrait().size))
    assert_same_pixels(after[covered == 0], before[covered == 0])
    assert (after[covered > 0.9] != before[covered > 0.9]).mean() > 0.5


def test_a_protected_part_is_the_enlarged_picture_bit_for_bit(house: Path) -> None:
    mask = Mask((144, 112), (Rectangle(20, 20, 40, 30),))
    plain = whole(Enlarged(BASE, Size(144, 112), upscaler("lanczos")))
    for mode in Mode:
        made = fired(coat(model="noise", mode=mode, protect=Protect(mask)))
        inside = Box(22, 22, 36, 26).slices
        assert_same_pixels(made[inside], plain[inside])
        assert (made[80:] != plain[80:]).mean() > 0.5


class Passing(torch.nn.Module):
    """Gives back what it is given, in the place of what looks at a whole tile."""

    def __init__(self, *, alone: bool) -> None:
        super().__init__()
        self.alone = alone

    def forward(self, values: Any, *more: Any, **named: Any) -> Any:
        return values if self.alone else (values,)


def made_near(network: Any) -> None:
    """Take from a network all that looks farther than a few cells: attention and statistics of a tile."""
    for module in list(network.modules()):
        for name, part in list(module.named_children()):
            if isinstance(part, torch.nn.GroupNorm):
                setattr(module, name, Passing(alone=True))
            elif type(part).__name__.startswith("Transformer"):
                setattr(module, name, Passing(alone=False))


def test_joint_mode_is_one_whole_evaluation_where_nothing_looks_at_the_whole_tile(
    house: Path,
) -> None:
    one = refiner("velocity").parts  # type: ignore[attr-defined]
    try:
        made_near(one.network)
        settings = {"model": "velocity", "mode": Mode.JOINT, "feather": 0.0, "steps": 3}
        base = portrait(200, 160)
        results = []
        for tile, overlap in (((416, 416), 0), ((256, 256), 128)):
            with tempfile.TemporaryDirectory() as folder:
                schedule = coat(**settings, tile=tile, overlap=overlap)
                results.append(whole(fire(base, schedule, Path(folder)).result).astype(int))
        assert np.abs(results[0] - results[1]).max() <= 16  # a sixteenth of an 8-bit level
    finally:
        loading.release()


def test_the_ways_there_and_back_in_tiles_are_those_of_the_whole(
    house: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    assert refiner("velocity").spec.space.coding_radius is not None
    schedule = coat(model="velocity", mode=Mode.JOINT, tile=(512, 512))
    complete = fired(schedule).astype(int)
    monkeypatch.setattr(blended, "CODED", 64)
    assert np.abs(fired(schedule).astype(int) - complete).max() <= 16
    assert refiner("noise").spec.space.coding_radius is None


@pytest.fixture(scope="module")
def kit_loaded(house: Path) -> Path:
    """An adapter, a structure guide and another VAE for the first of them, added."""
    network = diffusers.UNet2DConditionModel.from_pretrained(house / "noise" / "unet")
    intake.add_model(checkpoints.guide(house / "edges", network), "edges")
    intake.add_model(checkpoints.adapter(house / "copper.safetensors", network), "copper-line")
    other = checkpoints.built(house / "other", seed=9)
    intake.add_model(other / "vae", "other-vae")
    return house


@pytest.mark.parametrize(
    "more",
    [
        {"adapters": (Adapter("copper-line", 1.0),)},
        {"guide": "edges"},
        {"vae": "other-vae"},
        {"adapters": (Adapter("copper-line", 1.0),), "guide": "edges", "vae": "other-vae"},
    ],
    ids=lambda more: "+".join(more),
)
def test_what_a_checkpoint_is_used_with_changes_the_picture_and_its_name(
    kit_loaded: Path, more: dict[str, Any]
) -> None:
    plain, kit = coat(model="noise"), coat(model="noise", kit=Kit(**more))
    assert (fired(kit) != fired(plain)).mean() > 0.5
    assert_same_pixels(fired(kit), fired(kit))
    digests = {refiner("noise").spec.digest, refiner("noise", kit=Kit(**more)).spec.digest}
    assert len(digests) == 2


def test_a_part_of_another_family_is_refused(kit_loaded: Path) -> None:
    for model, kit in (("two-encoders", Kit(guide="edges")), ("velocity", Kit(vae="other-vae"))):
        with pytest.raises(Refusal, match="made for another kind of checkpoint"):
            fired(coat(model=model, kit=kit))


def test_an_adapter_that_counts_nothing_changes_nothing(kit_loaded: Path) -> None:
    none = Kit(adapters=(Adapter("copper-line", 0.0),))
    difference = fired(coat(model="noise", kit=none)).astype(int) - fired(coat(model="noise"))
    assert np.abs(difference).max() <= 16


def test_an_adapter_is_the_same_in_the_names_of_trainers(kit_loaded: Path, tmp_path: Path) -> None:
    own = kit_loaded / "copper.safetensors"
    intake.add_model(checkpoints.as_trainers_name(own, tmp_path / "named.safetensors"), "named")
    one, other = (
        fired(coat(model="noise", kit=Kit(adapters=(Adapter(name, 0.7),))))
        for name in ("copper-line", "named")
    )
    assert_same_pixels(one, other)


def test_an_adapter_changes_what_words_say(kit_loaded: Path, tmp_path: Path) -> None:
    encoder = CLIPTextModel.from_pretrained(kit_loaded / "noise" / "text_encoder")
    file = checkpoints.adapter(tmp_path / "verse.safetensors", encoder, "text_encoder")
    intake.add_model(file, "verse")
    intake.add_model(
        checkpoints.as_trainers_name(file, tmp_path / "verse-2.safetensors"), "verse-2"
    )

    def encode(*adapters: Adapter) -> torch.Tensor:
        one = refiner("noise", kit=Kit(adapters=adapters)).parts  # type: ignore[attr-defined]
        return evaluation.encoded(one, "boiler").sequence

    plain, changed = encode(), encode(Adapter("verse", 1.0))
    assert torch.allclose(encode(Adapter("verse", 0.0)), plain, atol=1e-5)
    assert not torch.allclose(changed, plain, atol=1e-2)
    assert torch.allclose(encode(Adapter("verse-2", 1.0)), changed, atol=1e-5)
    both = encode(Adapter("copper-line", 1.0), Adapter("verse", 1.0))
    assert torch.allclose(both, changed, atol=1e-5)


def test_with_a_guide_hold_is_its_say(kit_loaded: Path, tmp_path: Path) -> None:
    guided, store = Kit(guide="edges"), FolderStore(tmp_path, 100)
    plain = fired(coat(model="noise", hold=0.0, kit=guided), store=store).astype(int)
    far = [
        float(np.abs(fired(coat(model="noise", hold=hold, kit=guided), store=store) - plain).mean())
        for hold in (0.3, 1.0)
    ]
    assert 0 < far[0] < far[1]


def test_without_one_hold_is_how_much_of_the_picture_the_start_keeps(house: Path) -> None:
    one = refiner("noise")
    assert one.spec.holding is Holding.START
    assert (fired(coat(model="noise", hold=0.2)) != fired(coat(model="noise"))).mean() > 0.5


def test_another_file_than_the_schedule_names_is_refused(kit_loaded: Path) -> None:
    for wrong in (Kit(sha256="0" * 64), Kit(guide="edges", guide_sha256="0" * 64)):
        with pytest.raises(Refusal, match="The schedule was made with another"):
            fired(coat(model="noise", kit=wrong))


def test_long_prompts_are_read_in_pieces_and_weights_count(house: Path) -> None:
    one = refiner("noise").parts  # type: ignore[attr-defined]
    short, long = evaluation.encoded(one, "boiler"), evaluation.encoded(one, "copper boiler " * 30)
    assert long.sequence.shape[1] > 2 * short.sequence.shape[1]
    assert torch.equal(evaluation.encoded(one, "(boiler:1)").sequence, short.sequence)
    away = [
        float(
            (
                evaluation.encoded(one, f"(boiler:{w})").sequence
                - evaluation.encoded(one, "").sequence
            ).norm()
        )
        for w in (0.5, 1, 2)
    ]
    assert away == sorted(away)


def spoilt(folder: Path, part: str, change: Any) -> Path:
    """A checkpoint in which the weights of a part were changed."""
    checkpoints.built(folder)
    path = next((folder / part).glob("*.safetensors"))
    weights = {name: change(one) for name, one in safetensors.torch.load_file(path).items()}
    safetensors.torch.save_file(weights, path)
    return folder


@pytest.mark.parametrize(
    ("part", "problem"),
    [("unet", "Its network gives no numbers"), ("vae", "Its vae gives no numbers"),
     ("text_encoder", "Its text encoder gives no numbers")],
)  # fmt: skip
def test_damaged_weights_are_refused(house: Path, tmp_path: Path, part: str, problem: str) -> None:
    def nothing(one: torch.Tensor) -> torch.Tensor:
        return one * float("nan") if one.is_floating_point() else one

    folder = spoilt(tmp_path / "spoilt", part, nothing)
    with pytest.raises(Refusal, match=problem):
        intake.add_model(folder, "spoilt")


def test_weights_of_other_shapes_are_refused(house: Path, tmp_path: Path) -> None:
    cut = spoilt(tmp_path / "spoilt", "unet", lambda one: one[: max(1, len(one) // 2)].contiguous())
    with pytest.raises(Refusal, match="Its part unet can't be loaded"):
        intake.add_model(cut, "spoilt")


def test_a_single_file_beside_its_configurations_is_the_same_checkpoint(
    house: Path, tmp_path: Path
) -> None:
    card = intake.add_model(checkpoints.single_file(checkpoints.built(tmp_path / "one")), "one")
    assert [file["path"] for file in card.listed if file["path"].endswith("tensors")] == [
        "whole.safetensors"
    ]
    assert_same_pixels(fired(coat(model="one")), fired(coat(model="noise")))


def test_a_single_file_of_another_kind_is_refused(house: Path, tmp_path: Path) -> None:
    folder = checkpoints.single_file(checkpoints.built(tmp_path / "one"))
    wrong = {"model.other": torch.zeros(2)}
    safetensors.torch.save_file(wrong, folder / "whole.safetensors")
    with pytest.raises(Refusal, match="can't be taken apart by the configurations beside it"):
        intake.add_model(folder, "two")


def test_nothing_is_fetched(house: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def no_way(*_: Any, **__: Any) -> None:
        raise AssertionError("something wanted to reach the network")

    monkeypatch.setattr("socket.socket.connect", no_way)
    monkeypatch.setattr("socket.getaddrinfo", no_way)
    loading.release()
    assert fired(coat(model="noise")).shape == (112, 144, 3)


def test_parts_that_take_turns_on_the_device_make_the_same(
    house: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain, calls = evaluation.evaluate, []

    def short_at_first(*given: Any) -> Any:
        calls.append(1)
        if len(calls) <= 3:  # as often as it is tried before it is given up
            raise torch.OutOfMemoryError
        return plain(*given)

    monkeypatch.setattr(evaluation, "evaluate", short_at_first)
    card = intake.add_model(checkpoints.built(tmp_path / "turns"), "turns")
    assert isinstance(card, CheckpointCard)
    assert card.checkpoint["runs"]["offload"]
    assert_same_pixels(fired(coat(model="turns")), fired(coat(model="noise")))


def test_a_device_that_runs_out_of_memory_is_reported_and_nothing_is_lost(
    house: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    plain, calls = evaluation.evaluate, []

    def short_of_memory(*given: Any) -> Any:
        calls.append(1)
        if len(calls) in (2, 4, 5, 6):
            raise torch.OutOfMemoryError
        return plain(*given)

    schedule = coat(model="noise", steps=1, tile=(64, 64), overlap=16)
    undisturbed = fired(schedule)
    monkeypatch.setattr(evaluation, "evaluate", short_of_memory)
    with pytest.raises(Refusal, match="What was finished is kept; take smaller tiles"):
        fired(schedule, work=tmp_path)
    assert_same_pixels(fired(schedule, work=tmp_path), undisturbed)
    # one that was short once, one that was short three times, those on their way then, and each tile
    assert len(calls) == 1 + 3 + AHEAD + 6
