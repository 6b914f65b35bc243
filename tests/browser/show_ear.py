"""An ear on a show that runs in the browser: every sample that its audio thread puts out, beside what was pressed."""

from __future__ import annotations

import base64
import json
from typing import Any

import numpy as np
from playwright.sync_api import Page

from wemble.core.show.run import Press
from wemble.core.signal.levels import Samples

EAR = """
// Takes what an audio worklet node plays as it plays it, a second at a time, and changes nothing.
window.showHeard = [];
window.showEarReady = false;
const CODE = `registerProcessor("ear", class extends AudioWorkletProcessor {
  constructor() { super(); this.block = null; this.at = 0; }
  process(inputs) {
    const input = inputs[0];
    if (!input.length && !this.block) return true;
    if (!this.block) { this.block = new Float32Array(48000 * input.length); this.frame = 0; this.at = 0; }
    const length = 48000;
    this.frame = Math.max(this.frame, currentFrame - this.at); // currentFrame lags where the page holds the graph
    input.forEach((samples, c) => this.block.set(samples, c * length + this.at)); // no input is silence
    this.at += 128;
    if (this.at >= length) { this.port.postMessage([this.frame, this.block], [this.block.buffer]); this.block = null; }
    return true;
  }
});`;
const add = AudioWorklet.prototype.addModule;
AudioWorklet.prototype.addModule = async function (url, ...rest) {
  await add.call(this, URL.createObjectURL(new Blob([CODE], { type: "text/javascript" })));
  return add.call(this, url, ...rest);
};
const connect = AudioNode.prototype.connect;
AudioNode.prototype.connect = function (to, ...rest) {
  if (this instanceof AudioWorkletNode && to instanceof AudioDestinationNode) {
    const ear = new AudioWorkletNode(this.context, "ear", { numberOfOutputs: 0 });
    window.showHeard = [];
    ear.port.onmessage = ({ data }) => window.showHeard.push(data);
    connect.call(this, ear);
    window.showEarReady = true;
  }
  return connect.call(this, to, ...rest);
};
window.showBlock = (n) => {
  const [frame, samples] = window.showHeard[n];
  const bytes = new Uint8Array(samples.buffer);
  let text = "";
  for (let i = 0; i < bytes.length; i += 32768) text += String.fromCharCode(...bytes.subarray(i, i + 32768));
  return [frame, btoa(text)];
};
"""


def heard(page: Page) -> tuple[int, Samples]:
    """Return the context's first frame that was heard, and everything since, float32 (channels, frames)."""
    count = page.evaluate("window.showHeard.length")
    blocks, first, expected = [], 0, None
    for n in range(count):
        frame, text = page.evaluate("(n) => window.showBlock(n)", n)
        block = np.frombuffer(base64.b64decode(text), np.float32).reshape(-1, 48_000)
        first = frame if not blocks else first
        assert expected is None or frame == expected, f"the ear missed {frame - (expected or 0)} frames"
        expected = frame + block.shape[1]
        blocks.append(block)
    return first, np.concatenate(blocks, axis=1)


def captured(page: Page) -> tuple[list[Press], dict[str, Any]]:
    """Return what was pressed, as the page kept it, and all that it kept."""
    kept = json.loads(
        page.evaluate(
            "localStorage.getItem(Object.keys(localStorage).find((key) => key.startsWith('wemble.performance')))"
        )
    )
    return [Press(**one) for one in kept["presses"]], kept


def aligned(samples: Samples, expected: Samples) -> tuple[Samples, Samples]:
    """Return what was heard and what was to be heard from their first sound on, as far as both go."""
    a, b = (int(np.flatnonzero(one.any(axis=0))[0]) for one in (samples, expected))
    frames = min(samples.shape[1] - a, expected.shape[1] - b)
    return samples[:, a : a + frames], expected[:, b : b + frames]
