"""Takes through the real interface: lanes with bleed cleaned by one recipe, and a coded loop cut up by hand."""

from __future__ import annotations

import hashlib
import io
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import soundfile
from playwright.sync_api import Page, expect
from tests.browser.test_flow import call, hear, rendered, settled, type_number
from tests.conftest import RATE, Server
from wavinfo import WavInfoReader

from wemble.core.signal.levels import from_db

LOOP_RATE, LOOP_S = 44_100, 10.4


def struck(rng: np.random.Generator, hz: float, decay: float, seconds: float, rate: int = RATE) -> np.ndarray:
    """Return a struck sound with its attack at frame 0, peak 1: a tone where there is one, and noise."""
    t = np.arange(round(seconds * rate)) / rate
    tone = np.cos(2 * np.pi * hz * t) * np.exp(-decay * t) if hz else 0.0
    hit = tone + (0.3 if hz else 1.0) * rng.standard_normal(len(t)) * np.exp(-(60.0 if hz else decay) * t)
    return np.asarray(hit / np.abs(hit).max())


def laid(hits: list[tuple[float, np.ndarray]], frames: int, rate: int = RATE) -> np.ndarray:
    out = np.zeros(frames)
    for at, hit in hits:
        start = round(at * rate)
        out[start : start + len(hit)] += 0.7 * hit[: frames - start]
    return out


@pytest.fixture(scope="session")
def lanes(tmp_path_factory: pytest.TempPathFactory) -> tuple[list[Path], dict[str, np.ndarray]]:
    """Four lanes recorded together, each hearing the others 30 dB down; and the attack frames of each."""
    rng, folder, frames = np.random.default_rng(41), tmp_path_factory.mktemp("lanes"), 20 * RATE
    places = {
        "tar bucket": 1.0 + 3.6 * np.arange(5), "chain": 0.5 + 0.46 * np.arange(40),
        "oar": 0.8 + 1.7 * np.arange(11), "plank": 1.3 + 2.9 * np.arange(6),
    }  # fmt: skip
    hits = {
        "tar bucket": struck(rng, 95.0, 5.0, 1.2), "chain": struck(rng, 0.0, 45.0, 0.2),
        "oar": struck(rng, 310.0, 25.0, 0.4), "plank": struck(rng, 170.0, 18.0, 0.5),
    }  # fmt: skip
    clean = {name: laid([(at, hits[name]) for at in places[name]], frames) for name in places}
    paths = []
    for name, own in clean.items():
        bleed = from_db(-30.0) * sum(other for key, other in clean.items() if key != name)
        paths.append(folder / f"{name}.wav")
        noise = from_db(-62.0) * rng.standard_normal(frames)
        soundfile.write(paths[-1], own + bleed + noise, RATE, subtype="PCM_24")
    return paths, {name: np.round(at * RATE).astype(int) for name, at in places.items()}


def bring_in(page: Page, server: Server, paths: list[Path]) -> str:
    """Start a job of drums with files, wait until all are in, and return it."""
    page.goto(server.url)
    page.get_by_role("radio", name="Drums and samples").check()
    page.get_by_label("recordings", exact=True).set_input_files([str(path) for path in paths])
    page.wait_for_url("**/jobs/*")
    expect(page.get_by_label("files being imported")).to_contain_text(f"{len(paths)} imported", timeout=30_000)
    expect(page.get_by_label("files being imported")).to_be_hidden(timeout=15_000)
    settled(page)
    return page.url.rsplit("/", 1)[1]


def clips_of(server: Server, job_id: str, named: str) -> list[dict[str, Any]]:
    clips = call(f"{server.url}/api/jobs/{job_id}")["job"]["clips"].values()
    return sorted((c for c in clips if c["name"].startswith(named)), key=lambda c: int(c["head_frame"]))


def apply(page: Page) -> None:
    page.get_by_role("button", name="Apply", exact=True).click()
    expect(page.get_by_role("button", name="Applied")).to_be_disabled()
    settled(page)


def test_lanes_with_bleed_are_cleaned_one_recipe_serves_others_and_every_edge_is_walked(
    page: Page, demo_server: Server, lanes: tuple[list[Path], dict[str, np.ndarray]]
) -> None:
    paths, attacks = lanes
    job_id = bring_in(page, demo_server, paths)
    counts = page.locator("[aria-live=polite]")
    # They are taken for takes, and every hit of each is found among the bleed of the others.
    expect(counts.filter(has_text="in 4 takes")).to_contain_text("62 hits")
    origins = {c["name"]: c["origin_frame"] for c in clips_of(demo_server, job_id, "")}
    assert list(origins) and sorted(origins, key=lambda name: origins[name]) == ["chain", "oar", "plank", "tar bucket"]

    page.get_by_label("what to find").select_option("sound")
    page.get_by_role("option", name="tar bucket").click()
    page.get_by_role("radio", name=", tar bucket").click()
    settled(page)
    for name, value in (("threshold", "-30"), ("room before", "60"), ("room after", "400")):
        type_number(page, name, value)
    apply(page)
    page.keyboard.press("2")
    type_number(page, "automatic fade", "50")
    apply(page)
    tar = clips_of(demo_server, job_id, "tar bucket")
    for clip, attack in zip(tar, attacks["tar bucket"], strict=True):
        assert clip["origin_frame"] == origins["tar bucket"]  # no hit moved
        length = clip["fade_in"]["length_frames"]  # 50 ms, less where the bleed of another ends just before
        assert 960 < length <= 2_400 and clip["head_frame"] + length < attack  # none is touched

    page.keyboard.press("1")
    page.get_by_role("option", name="chain").click()
    settled(page)
    type_number(page, "threshold", "-24")
    type_number(page, "shortest gap", "0.5")
    expect(counts.filter(has_text="of quiet removed")).to_contain_text("1 clip")
    expect(page.get_by_text("too short to cut", exact=False)).to_be_visible()  # and it says why
    for name, value in (("shortest gap", "0.08"), ("room before", "20"), ("room after", "80")):
        type_number(page, name, value)
    apply(page)
    chain = clips_of(demo_server, job_id, "chain")
    assert all(c["head_frame"] < at < c["tail_frame"] for c, at in zip(chain, attacks["chain"], strict=True))
    assert {c["fade_in"]["length_frames"] for c in chain} == {480}

    # What was found stays in hand, and its recipe serves two more lanes; one of them is only turned down between hits.
    page.get_by_role("button", name="Save as recipe").click()
    page.get_by_role("textbox", name="name of the recipe").fill("among others")
    page.keyboard.press("Enter")
    for name, treatment, count in (("oar", None, 11), ("plank", "turn down by", 13)):
        page.get_by_role("listbox").first.evaluate("list => list.scrollTo(0, 1e6)")
        page.get_by_role("option", name=name, exact=False).first.click()
        settled(page)
        page.get_by_role("button", name="recipes").click()
        page.get_by_role("menuitem", name="among others", exact=True).click()
        if treatment:
            page.get_by_role("radio", name=treatment).click()
        settled(page)
        apply(page)
        assert len(clips_of(demo_server, job_id, name)) == count
    assert {c["gain_db"] for c in clips_of(demo_server, job_id, "plank,")} == {-12.0}

    page.keyboard.press("u")
    left = page.get_by_text("edges left", exact=False)
    total = int(left.inner_text().split()[0])
    assert total >= 80
    for n in range(80):
        expect(left).to_have_text(f"{total - n} of {total} edges left")
        page.keyboard.press("i")
    expect(left).to_have_text(f"{total - 80} of {total} edges left")


def test_a_coded_loop_is_measured_in_bars_marked_cut_named_and_sent_as_shots_and_as_one_file(
    page: Page, demo_server: Server, demo_home: Path, tmp_path: Path
) -> None:
    rng = np.random.default_rng(8)
    places = 0.65 * np.arange(16) + 0.02
    drum = struck(rng, 160.0, 22.0, 0.4, LOOP_RATE)
    take = laid([(at, drum) for at in places], round(LOOP_S * LOOP_RATE), LOOP_RATE)
    path = tmp_path / "groove.mp3"
    soundfile.write(path, take, LOOP_RATE, format="MP3")
    was = hashlib.sha256(path.read_bytes()).hexdigest()
    job_id = bring_in(page, demo_server, [path])
    (source,) = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["sources"].values()
    assert source["frames"] == round(LOOP_S * LOOP_RATE)  # the silence of the coding is gone

    page.keyboard.press("3")
    page.get_by_role("button", name="set the tempo from it").click()  # the selected clip is 4 bars
    settled(page)
    expect(page.get_by_role("spinbutton", name="tempo", exact=True)).to_have_attribute("aria-valuenow", "92.31")
    before = call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"]
    for field, typed in (
        ("selected from", "2b1"),
        ("selected to", "3b3"),
    ):  # a span is typed and measured; no clip is touched
        page.get_by_label(field).click()
        page.get_by_label(field).fill(typed)
        page.get_by_label(field).press("Enter")
    expect(page.get_by_text("3.900 s, 1.500 bars")).to_be_visible()
    assert call(f"{demo_server.url}/api/jobs/{job_id}")["job"]["clips"] == before
    page.keyboard.press("Escape")

    page.keyboard.press("s")  # in the spectral view twelve hits are marked, where the first twelve begin
    strip = page.get_by_role("region", name="strip").bounding_box()
    assert strip
    for at in places[:12]:
        page.mouse.click(strip["x"] + strip["width"] * at / LOOP_S / 1.02, strip["y"] + 150)
        page.keyboard.press("m")
        settled(page)
    marks = page.get_by_role("list", name="marks").get_by_role("listitem")
    expect(marks).to_have_count(12)
    for n, at in enumerate(places[:12]):  # and put to the millisecond
        field = marks.nth(n).get_by_role("textbox")
        field.fill(f"{at:.3f}")
        field.press("Enter")
        settled(page)
    page.get_by_label("programme ends at").fill(f"{places[12] - 0.05:.3f}")  # a mark that ends the last one
    page.keyboard.press("Enter")
    settled(page)
    page.get_by_role("button", name="split at marks").click()
    settled(page)
    slices = clips_of(demo_server, job_id, "Hit")
    assert [c["head_frame"] for c in slices] == [round(at * LOOP_RATE) for at in places[:12]]
    assert slices[-1]["tail_frame"] == round((places[12] - 0.05) * LOOP_RATE)
    for name in ("Hit 3", "Hit 6"):
        page.get_by_role("option", name=name, exact=True).last.click()
        page.keyboard.press("Delete")
        settled(page)
    for name, better in (("Hit 1", "Deck"), ("Hit 2", "Hatch"), ("Hit 12", "Last")):
        page.get_by_role("listbox").first.get_by_text(name, exact=True).dblclick()
        page.keyboard.press("Control+a")
        page.keyboard.type(better)
        page.keyboard.press("Enter")
        settled(page)

    page.get_by_role("application").focus()
    played = np.array(hear(page, "z")[0]["channels"], np.float32)
    deck = clips_of(demo_server, job_id, "Deck")[0]
    assert played.shape[1] == deck["tail_frame"] - deck["head_frame"]
    assert np.array_equal(played, rendered(demo_server, job_id, deck["head_frame"], played.shape[1]))

    page.keyboard.press("4")
    page.get_by_role("button", name="Send", exact=True).click()
    with page.expect_download() as coming:
        page.get_by_role("link", name="files (zip)").click(timeout=60_000)
    coming.value.save_as(tmp_path / "shots.zip")
    with zipfile.ZipFile(tmp_path / "shots.zip") as archive:
        shots = [name for name in archive.namelist() if name.endswith(".wav")]
        assert len(shots) == 10 and {"Deck.wav", "Hatch.wav", "Last.wav"} < set(shots)
        assert soundfile.info(io.BytesIO(archive.read("Deck.wav"))).samplerate == LOOP_RATE
    page.get_by_role("radio", name="one file of everything").click()
    settled(page)
    page.get_by_role("button", name="Send", exact=True).click()
    with page.expect_download() as coming:
        page.get_by_role("link", name="download groove.wav").click(timeout=60_000)
    coming.value.save_as(tmp_path / "groove.wav")
    cues = WavInfoReader(str(tmp_path / "groove.wav")).cues.cues
    kept = clips_of(demo_server, job_id, "")
    assert [cue.sample_offset for cue in cues] == [c["head_frame"] - kept[0]["head_frame"] for c in kept]
    (original,) = (demo_home / "sources" / source["id"]).glob("original*")
    assert hashlib.sha256(original.read_bytes()).hexdigest() == was
