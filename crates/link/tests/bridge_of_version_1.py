"""A bridge of version 1, as it was written from the page of that time: no code is shared with the
bench. Prints its address; with `--careless` it takes acts of any epoch, which a conformance suite
must notice."""
import json, struct, subprocess, sys, threading, uuid, zlib
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, unquote, urlparse

TOKEN, MOST, SECTOR = "python", 4 << 20, 512
CARELESS = "--careless" in sys.argv
PARTS = [("boot", 1), ("persist", 2), ("system", 4)]  # label, MiB
LENGTH = (2 + sum(mib for _, mib in PARTS)) << 20


def layout():
    at = 1 << 20
    for number, (label, mib) in enumerate(PARTS, 1):
        yield label, number, at, mib << 20
        at += mib << 20


def disk():
    """Bytes of the device: protective record, both headers, both lists of entries."""
    last, entries = LENGTH // SECTOR - 1, bytearray(128 * 128)
    basic = uuid.UUID("ebd0a0a2-b9e5-4433-87c0-68b6b72699c7").bytes_le
    for label, number, at, length in layout():
        own = uuid.uuid5(uuid.NAMESPACE_OID, label).bytes_le
        span = struct.pack("<QQQ", at // SECTOR, (at + length) // SECTOR - 1, 0)
        name = label.encode("utf-16-le").ljust(72, b"\0")
        entries[(number - 1) * 128 : number * 128] = basic + own + span + name

    def header(here, there, first_entry):
        rest = struct.pack("<QQQQ", here, there, 34, last - 33)
        rest += uuid.uuid5(uuid.NAMESPACE_OID, "disk").bytes_le
        rest += struct.pack("<QIII", first_entry, 128, 128, zlib.crc32(bytes(entries)))
        whole = b"EFI PART" + struct.pack("<III", 0x10000, 92, 0) + b"\0" * 4 + rest
        return whole[:16] + struct.pack("<I", zlib.crc32(whole)) + whole[20:]

    data = bytearray(LENGTH)
    record = struct.pack("<BBBBBBBBII", 0, 0, 2, 0, 0xEE, 255, 255, 255, 1, last)
    data[446:462], data[510:512] = record, b"\x55\xaa"
    data[SECTOR : SECTOR + 92] = header(1, last, 2)
    data[2 * SECTOR : 34 * SECTOR] = entries
    data[(last - 32) * SECTOR : last * SECTOR] = entries
    data[last * SECTOR : last * SECTOR + 92] = header(last, 1, last - 32)
    for label, _, at, _ in layout():
        data[at : at + len(label)] = label.encode()
    return data


class Refused(Exception):
    STATUS = {"not-found": 404, "bad-request": 400, "digest-differs": 400, "stale-epoch": 412,
              "too-large": 413, "not-allowed": 403}

    def __init__(self, code, words):
        self.code, self.words, self.status = code, words, self.STATUS.get(code, 409)


class Device:
    lock = threading.RLock()
    mode, epoch, operations, events, data = "temporary-recovery", 1, [], [], disk()

    def state(self):
        facts = {"mode": self.mode, "chip-id": "aa:bb:cc:01", "lock": "unlocked", "battery": "70",
                 "codename": "gimbal", "model-code": "FL-1"}
        return {"handle": "one", "listed": "ready", "epoch": self.epoch, "facts": facts, "acts": ["restart"]}

    def span(self, label):
        ends = {"table-0.primary": (0, 1 << 20), "table-0.backup": (LENGTH - (1 << 20), 1 << 20)}
        spans = {name: (at, length) for name, _, at, length in layout()} | ends
        if label not in spans:
            raise Refused("not-found", f"there is no {label}")
        return spans[label]

    def decided_under(self, epoch):
        if epoch != self.epoch and not CARELESS:
            raise Refused("stale-epoch", f"it is {self.epoch} now")

    def reads(self):
        if self.mode != "temporary-recovery":
            raise Refused("wrong-mode", "partitions are read in a recovery")

    def act(self, asked):
        self.decided_under(asked["epoch"])
        if asked["kind"] != "restart":
            raise Refused("unknown-command", "unknown command")
        mode = asked["args"].get("mode")
        if mode not in ("system", "bootloader", "recovery"):
            raise Refused("bad-request", f"can't restart into {mode}")
        self.mode = "temporary-recovery" if mode == "recovery" else mode
        self.epoch += 1
        self.events.append({"n": len(self.events) + 1, "epoch": self.epoch, "what": "mode-changed"})
        self.operations.append({"id": len(self.operations) + 1, "kind": "restart", "state": "done", "words": "OKAY"})
        return self.operations[-1]


DEVICE = Device()


def blake3(body):
    return subprocess.run(["b3sum", "--no-names"], input=body, capture_output=True, check=True).stdout.decode().strip()


class Bridge(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def log_message(self, *_):
        pass

    def answer(self, status, body, kind="application/json", extra=()):
        body = body if isinstance(body, bytes) else json.dumps(body).encode()
        self.send_response(status)
        for name, value in [("Content-Type", kind), ("Content-Length", str(len(body))), *extra]:
            self.send_header(name, value)
        self.end_headers()
        self.wfile.write(body)

    def handle_one(self):
        body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
        try:
            if self.headers.get("Authorization") != f"Bearer {TOKEN}" or self.headers.get("Origin"):
                raise Refused("not-allowed", "not with that token, and not from a page")
            with DEVICE.lock:
                self.route(body)
        except Refused as refused:
            self.answer(refused.status, {"code": refused.code, "words": refused.words})

    do_GET = do_POST = do_PUT = handle_one

    def route(self, body):
        url = urlparse(self.path)
        path = [unquote(part) for part in url.path.split("/")[2:]]
        if path == ["bridge"]:
            return self.answer(200, {"name": "python", "link_version": 1, "extras": []})
        if path == ["devices"]:
            return self.answer(200, {"devices": [{key: DEVICE.state()[key] for key in ("handle", "listed", "epoch")}]})
        if path[:2] != ["devices", "one"]:
            raise Refused("not-found", "no such device")
        match path[2:]:
            case []:
                return self.answer(200, DEVICE.state())
            case ["act"]:
                return self.answer(200, DEVICE.act(json.loads(body)))
            case ["operations", number]:
                found = [one for one in DEVICE.operations if str(one["id"]) == number]
                if not found:
                    raise Refused("not-found", "no such operation")
                return self.answer(200, found[0])
            case ["events"]:
                after = int(parse_qs(url.query).get("after", ["0"])[0])
                return self.answer(200, {"events": [one for one in DEVICE.events if one["n"] > after]})
            case ["partitions"]:
                DEVICE.reads()
                parts = [{"label": label, "number": number, "area": 0, "offset_bytes": at, "length_bytes": length}
                         for label, number, at, length in layout()]
                area = {"area": 0, "sector_bytes": SECTOR, "length_bytes": LENGTH}
                return self.answer(200, {"areas": [area], "partitions": parts})
            case ["partitions", label] if self.command == "GET":
                return self.read(label)
            case ["partitions", label]:
                return self.write(label, body)
        raise Refused("not-found", "no such route")

    def read(self, label):
        DEVICE.reads()
        at, length = DEVICE.span(label)
        first, last = map(int, self.headers["Range"].removeprefix("bytes=").split("-"))
        if last - first + 1 > MOST:
            raise Refused("too-large", f"at most {MOST} bytes")
        if last >= length or last < first:
            raise Refused("bad-request", f"{label} has {length} bytes")
        told = [("Content-Range", f"bytes {first}-{last}/{length}"), ("bench-epoch", str(DEVICE.epoch))]
        self.answer(206, bytes(DEVICE.data[at + first : at + last + 1]), "application/octet-stream", told)

    def write(self, label, body):
        DEVICE.decided_under(int(self.headers["bench-epoch"]))
        at, length = DEVICE.span(label)
        first = int(self.headers["Content-Range"].removeprefix("bytes ").split("-")[0])
        if first + len(body) > length:
            raise Refused("bad-request", f"{label} has {length} bytes")
        digest = blake3(body)
        if digest != self.headers["bench-blake3"]:
            raise Refused("digest-differs", "other bytes than announced")
        DEVICE.data[at + first : at + first + len(body)] = body
        self.answer(200, {"blake3": digest, "length_bytes": len(body)})


server = ThreadingHTTPServer(("127.0.0.1", 0), Bridge)
print(f"http://127.0.0.1:{server.server_port}", flush=True)
server.serve_forever()
