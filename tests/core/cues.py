"""Cue points of a WAVE file with their labels, read by the rules of the published format alone."""

import struct


def cue_points(content: bytes) -> list[tuple[int, str]]:
    """Where each is (frames) and what it is called; AssertionError where the file is not as the format has it.

    Multimedia Programming Interface and Data Specifications 1.0 (IBM and Microsoft, 1991), chapter 3; EBU Tech 3306
    for files whose size stands in ``ds64``.
    """
    kind, size, form = struct.unpack("<4sI4s", content[:12])
    assert kind in (b"RIFF", b"RF64")
    assert form == b"WAVE"
    places, names, at, long = {}, {}, 12, None
    while at < len(content):
        name, length = struct.unpack("<4sI", content[at : at + 8])
        body = content[at + 8 : at + 8 + length]
        if name == b"ds64":
            size, long = struct.unpack("<QQ", body[:16])
        elif name == b"data" and length == 0xFFFFFFFF:
            length = long
        elif name == b"cue ":
            (count,) = struct.unpack("<I", body[:4])
            assert length == 4 + 24 * count
            for number in range(count):
                key, _, chunk, start, block, frame = struct.unpack_from("<II4sIII", body, 4 + 24 * number)
                assert (chunk, start, block) == (b"data", 0, 0)
                places[key] = frame
        elif name == b"LIST" and body[:4] == b"adtl":
            inner = 4
            while inner < length:
                label, count, key = struct.unpack_from("<4sII", body, inner)
                text = body[inner + 12 : inner + 8 + count]
                assert label == b"labl"
                assert text.endswith(b"\0")
                names[key] = text[:-1].decode()
                inner += 8 + count + count % 2
        at += 8 + length + length % 2
    assert at == len(content)
    assert size == len(content) - 8
    assert names.keys() == places.keys()
    return [(places[key], names[key]) for key in places]
