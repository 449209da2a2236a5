#!/usr/bin/env python3
"""What scipy reads of a .wav. Usage: wave_peak.py FILE.wav
Prints JSON: rate, channels, frames, and sample 5000 of the second channel as a number from -1 to 1."""
import json
import sys

from scipy.io import wavfile

rate, samples = wavfile.read(sys.argv[1])
print(json.dumps(dict(rate=rate, channels=samples.shape[1], frames=samples.shape[0], sample=float(samples[5000, 1]) / 32767)))
