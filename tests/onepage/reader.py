"""The page as it is written, read without a browser: blocks of JSON with columns of whole numbers behind them."""

import base64
import hashlib
import json
import re
import struct
import zlib


def block(text):
    """A value that the page carries, columns in their places."""
    data = zlib.decompress(base64.b64decode(text))
    words, columns = struct.unpack_from("<II", data)
    at = 8 + words
    sizes = struct.unpack_from(f"<{columns}i", data, at)
    powers = struct.unpack_from(f"<{columns}i", data, at + 4 * columns)
    planes = data[at + 8 * columns :]
    count = len(planes) // 4
    whole = [struct.unpack("<i", bytes(planes[k + j * count] for j in range(4)))[0] for k in range(count)]
    found, begin = [], 0
    for size, power in zip(sizes, powers, strict=True):
        own = whole[begin : begin + size]
        found.append([None if one == -(2**31) else one / 10**power if power >= 0 else one * 10**-power for one in own])
        begin += size
    return _restored(json.loads(data[8 : 8 + words]), found)


def _restored(node, columns):
    if isinstance(node, list):
        return [_restored(one, columns) for one in node]
    if isinstance(node, dict):
        return columns[node["#"]] if "#" in node else {name: _restored(one, columns) for name, one in node.items()}
    return node


def blocks(page):
    """All blocks of a page by name."""
    found = re.findall(r'<script type="text/plain" id="data-([a-z0-9-]+)">([A-Za-z0-9+/=]*)</script>', page)
    return {name: block(text) for name, text in found}


def items_of(page):
    """The page of each item, by its name."""
    kept = blocks(page)
    parts = [kept[f"items-{k}"] for k in range(sum(name.startswith("items-") for name in kept))]
    return dict(zip(kept["table"]["item"], [one for part in parts for one in part], strict=True))


def digests(page):
    """Digests of the style and the script as they stand in the page."""
    style = re.search(r"<style>(.*?)</style>", page, re.S)[1]
    script = re.search(r"<script>(.*?)</script>", page, re.S)[1]
    return [base64.b64encode(hashlib.sha256(one.encode()).digest()).decode() for one in (style, script)]
