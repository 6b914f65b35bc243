#!/bin/sh
# Renders the demo's speech again with Debian's espeak-ng (its output is free to use), for whoever changes script.py.
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
PY
