#!/usr/bin/env python3
"""The sound of a demo take: wind over the quay, and a knock for each sole that comes down, by the take's labels.

Usage: sound.py LIBRARY TAKE...   writes takes/<name>.wav (8 kHz, 16 bits) and names it in takes/<name>.take.json.
"""
import json
import os
import sys
import wave

import numpy as np

RATE = 8000


def sound_of(labels, frames, frame_time):
    noise = np.random.default_rng(7)
    length = int(RATE * frames * frame_time)
    # Wind: slow noise that swells.
    wind = np.cumsum(noise.standard_normal(length))
    wind -= np.convolve(wind, np.ones(400) / 400, 'same')
    heard = .03 * wind / np.abs(wind).max() * (1 + .6 * np.sin(2 * np.pi * np.arange(length) / RATE / 4.3))
    knock = np.arange(int(.12 * RATE)) / RATE
    for label in labels:
        if label['point'] not in ('heel', 'sole') or label['first'] == 0:
            continue
        strength = .7 if label['point'] == 'heel' else .35
        pitch = 92 if label['limb'] == 'left' else 104
        sound = strength * np.exp(-knock * 38) * (np.sin(2 * np.pi * pitch * knock) + .3 * noise.standard_normal(len(knock)) * np.exp(-knock * 120))
        at = int(RATE * label['first'] * frame_time)
        end = min(length, at + len(sound))
        heard[at:end] += sound[:end - at]
    return heard


def main(library, takes):
    for take in takes:
        place = os.path.join(library, 'takes', take)
        with open(place + '.take.json') as f:
            document = json.load(f)
        with open(place + '.labels.json') as f:
            labels = json.load(f)
        heard = sound_of(labels, document['frames'], float(document['frame_time_s']))
        with wave.open(place + '.wav', 'wb') as f:
            f.setnchannels(1)
            f.setsampwidth(2)
            f.setframerate(RATE)
            f.writeframes(np.round(32767 * np.clip(heard, -1, 1)).astype('<i2').tobytes())
        document.setdefault('intake', {})['sound'] = {'file': take + '.wav', 'offset_s': 0.0}
        with open(place + '.take.json', 'w') as f:
            f.write(json.dumps(document, indent=2) + '\n')


if __name__ == '__main__':
    main(sys.argv[1], sys.argv[2:])
