#!/bin/sh
# Renders the demo's speech again with Debian's espeak-ng (its output is free to use), for whoever changes a script.
set -eu
cd "$(dirname "$0")"
python3 - <<'PY'
import pathlib, runpy, subprocess, soundfile
script = runpy.run_path("script.py")
for number, (_, text) in enumerate(script["PHRASES"], 1):
    wav = f"/tmp/phrase-{number}.wav"
    subprocess.run(["espeak-ng", "-v", script["VOICE"], "-s", str(script["WORDS_PER_MINUTE"]), "-w", wav, text], check=True)
    samples, rate = soundfile.read(wav, dtype="float32")
    soundfile.write(pathlib.Path("speech") / f"{number:02d}.ogg", samples, rate, format="OGG", subtype="VORBIS")
talk = runpy.run_path("talk_script.py")
for number, line in enumerate(talk["LINES"], 1):
    wav = f"/tmp/line-{number}.wav"
    speed = str(talk["WORDS_PER_MINUTE"][line.who])
    subprocess.run(["espeak-ng", "-v", talk["VOICES"][line.who], "-s", speed, "-w", wav, line.text], check=True)
    samples, rate = soundfile.read(wav, dtype="float32")
    heard = (abs(samples) > 0.004).nonzero()[0]
    samples = samples[heard[0] : heard[-1] + 1]
    soundfile.write(pathlib.Path("talk") / f"{number:02d}.ogg", samples, rate, format="OGG", subtype="VORBIS")
PY
