#!/usr/bin/env python3
"""Holds a chain of blocks, and what it has sealed, against its seals, without Lastblock: docs/close.md says what is
where. It needs nothing but Python 3.

    python3 docs/verify.py FOLDER      # the folder of the plan, with blocks/ in it
"""
import csv, hashlib, io, json, pathlib, re, sys

root = pathlib.Path(sys.argv[1])
wrong = []


def check(holds, text):
    if not holds:
        wrong.append(text)


def sha256(data):
    return hashlib.sha256(data).hexdigest()


# Each block is canonical JSON, its SHA-256 is its seal, and it names the seal of the one before.
blocks, seals_of, before = [], [], None
for number, file in enumerate(sorted((root / "blocks").glob("[0-9]*[0-9].json")), 1):
    data = file.read_bytes()
    block = json.loads(data)
    check(json.dumps(block, sort_keys=True, separators=(",", ":"), ensure_ascii=False).encode() == data,
          f"{file}: not canonical")
    check(block["block"] == number and block["previous"] == before, f"{file}: another block stood before it")
    body = re.sub(rb'"body":"[0-9a-f]*",', b"", data, count=1)
    check(sha256(body) == block["body"], f"{file}: its body was changed")
    blocks.append(block)
    seals_of.append(sha256(data))
    before = {"block": number, "seal": seals_of[-1]}

# Each line of decisions ends in 16 digits of the SHA-256 of the seal of the line before, a line feed, and the line up
# to its own seal. The first one has an empty seal before it. Within quotes a line may go on.
lines, seals, moves, frozen = [], [""], [], {}
if (root / "decisions.csv").exists():
    text = ""
    for line in (root / "decisions.csv").read_text("utf-8-sig").replace("\r\n", "\n").splitlines(keepends=True):
        text += line
        if text.count('"') % 2 == 0:
            lines, text = lines + ([text.rstrip("\n")] if text.strip() else []), ""
header = lines and next(csv.reader([lines[0]]))
for line in lines[1:]:
    cells = dict(zip(header, next(csv.reader(io.StringIO(line)))))
    body = line[:len(line) - len(cells["seal"])]
    check(sha256(f"{seals[-1]}\n{body}".encode())[:16] == cells["seal"], f"decisions.csv: {line[:60]} was changed")
    seals.append(cells["seal"])
    if cells["decision"] == "relocate":
        moves.append((cells["source"], cells["state"]))
    elif cells["decision"] in ("freeze", "unfreeze"):
        frozen[cells["id"]] = cells["state"] if cells["decision"] == "freeze" else ""

# A list of frozen copies has the SHA-256 that its decision notes; each copy stands for the file that was sealed.
stand_for, listed = {}, {sha256(f.read_bytes()): f for f in (root / "frozen").glob("*.json")}
for entity, wanted in frozen.items():
    check(not wanted or wanted in listed, f"{entity}: its list was changed, or is gone")
    for s in json.loads(listed[wanted].read_bytes())["sources"] if wanted in listed else []:
        was = s["name"]
        for old, new in moves:
            was = new + was[len(old):] if (was + "/").startswith(old + "/") else was
        moves.append((was, "frozen/" + s["file"]))
        stand_for[s.get("copy") or s["sha256"]] = s["sha256"]


def hold(what, name, wanted, number):
    """Holds a file against what a block has sealed of it, where it is now."""
    for old, new in moves:
        name = new + name[len(old):] if (name + "/").startswith(old + "/") else name
    path = root / name
    is_there = path.is_file()
    hashed = sha256(path.read_bytes()) if is_there else ""
    check(is_there and wanted in (hashed, stand_for.get(hashed)),
          f"{name}: {what} of block {number}, {'changed' if is_there else 'gone'}")


def sources_of(block):
    """All sources of a block: its own, and those that stand in earlier blocks, which it names, as they were."""
    yield from block["sources"] or []
    for earlier in block.get("earlier", []):
        own = blocks[earlier["block"] - 1]["sources"] or []
        named = [(n["source"], n.get("of")) for n in earlier.get("only", []) + earlier.get("without", [])]
        used = [s for s in own if earlier["sources"] and
                (not named or ((s["source"], s.get("of")) in named) == ("only" in earlier))]
        check(blocks[earlier["block"] - 1] is not block and seals_of[earlier["block"] - 1] == earlier["seal"]
              and (len(used) == earlier["sources"] or not own),
              f"block {block['block']}: block {earlier['block']} is not as it stands on it")
        yield from used


# What a block says of a file holds until a newer one names the file again; of a source also until a newer block has
# closed its period again or a later one, and so read all that there was.
newest = {}
for block in blocks:
    number, sealed = block["block"], block["decisions"]
    check(sealed["lines"] < len(seals) and seals[sealed["lines"]] == sealed["seal"],
          f"decisions.csv: not as block {number} has sealed it")
    for what in ("figures", "pack", "records"):
        if block.get(what):
            hold(what, "blocks/" + block[what]["name"], block[what]["sha256"], number)
    newest = {key: of for key, of in newest.items() if key[0] != "source" or of[1] > block["period"]}
    for what in ("result", "source", "reference"):
        for f in sources_of(block) if what == "source" else block[what + "s"] or []:
            if f.get("sha256"):
                newest[what, f["name"]] = (f["sha256"], block["period"], number)
for (what, name), (wanted, _, number) in newest.items():
    hold(what, name, wanted, number)

print(*wrong, sep="\n", end="\n" if wrong else "")
print(f"{len(blocks)} blocks, {len(newest)} files, {len(seals) - 1} decisions: {'touched' if wrong else 'untouched'}")
sys.exit(bool(wrong))
