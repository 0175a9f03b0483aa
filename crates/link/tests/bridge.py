"""A bridge to one imagined device, written from docs/bench-link.md alone: no code is shared with the
bench. Prints its address; with `--careless` it takes what was decided under any epoch, which a
conformance suite must notice."""
import json, posixpath, struct, subprocess, sys, threading, uuid, zlib
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from urllib.parse import parse_qs, unquote, urlparse

TOKEN, MOST, SECTOR, MIB = "python", 1 << 20, 512, 1 << 20
CARELESS = "--careless" in sys.argv
# Two areas; a label that stands in both; a partition that holds volumes.
AREAS = {0: [("boot", 1), ("persist", 2), ("super", 8)], 1: [("config", 1), ("persist", 1)]}


def blake3(body):
    asked = subprocess.run(["b3sum", "--no-names"], input=body, capture_output=True, check=True)
    return asked.stdout.decode().strip()


class Refused(Exception):
    STATUS = {"not-found": 404, "bad-request": 400, "digest-differs": 400, "stale-epoch": 412,
              "too-large": 413, "not-allowed": 403}

    def __init__(self, code, words):
        self.code, self.words, self.status = code, words, self.STATUS.get(code, 409)


class Area:
    def __init__(self, number, parts):
        self.number, at, self.parts = number, MIB, []
        for index, (label, mib) in enumerate(parts, 1):
            self.parts.append((index, label, at, mib * MIB))
            at += mib * MIB
        self.end, self.length = at, at + MIB
        self.data = self.table()
        for _, label, at, _ in self.parts:
            self.data[at : at + len(label)] = label.encode()

    def table(self):
        """Protective record, both headers, both lists of entries."""
        last, entries = self.length // SECTOR - 1, bytearray(128 * 128)
        basic = uuid.UUID("ebd0a0a2-b9e5-4433-87c0-68b6b72699c7").bytes_le
        for number, label, at, length in self.parts:
            own = uuid.uuid5(uuid.NAMESPACE_OID, f"{self.number} {label}").bytes_le
            span = struct.pack("<QQQ", at // SECTOR, (at + length) // SECTOR - 1, 0)
            entries[(number - 1) * 128 : number * 128] = basic + own + span + label.encode("utf-16-le").ljust(72, b"\0")

        def header(here, there, first_entry):
            rest = struct.pack("<QQQQ", here, there, 34, last - 33)
            rest += uuid.uuid5(uuid.NAMESPACE_OID, f"area {self.number}").bytes_le
            rest += struct.pack("<QIII", first_entry, 128, 128, zlib.crc32(bytes(entries)))
            whole = b"EFI PART" + struct.pack("<III", 0x10000, 92, 0) + b"\0" * 4 + rest
            return whole[:16] + struct.pack("<I", zlib.crc32(whole)) + whole[20:]

        data = bytearray(self.length)
        data[446:462] = struct.pack("<BBBBBBBBII", 0, 0, 2, 0, 0xEE, 255, 255, 255, 1, last)
        data[510:512] = b"\x55\xaa"
        data[SECTOR : SECTOR + 92] = header(1, last, 2)
        data[2 * SECTOR : 34 * SECTOR] = entries
        data[(last - 32) * SECTOR : last * SECTOR] = entries
        data[last * SECTOR : last * SECTOR + 92] = header(last, 1, last - 32)
        return data


class Device:
    lock = threading.RLock()
    mode, epoch, operations, events = "temporary-recovery", 1, [], []
    areas = {number: Area(number, parts) for number, parts in AREAS.items()}
    volumes = {"system_a": bytearray(b"system" * 4096), "vendor_a": bytearray(b"vendor" * 4096)}
    files, coming, streams = {}, {}, {}

    def runs_recovery(self):
        if self.mode != "temporary-recovery":
            raise Refused("wrong-mode", "not in what runs now")

    def state(self):
        in_recovery = self.mode == "temporary-recovery"
        told = {"system": {"serial": "ONE-0001"}, "bootloader": {"chip-id": "aa:bb:cc:01", "download-number": "D-77"},
                "temporary-recovery": {"chip-id": "aa:bb:cc:01"}}
        return {"handle": "one", "listed": "ready", "epoch": self.epoch, "port": "the only socket",
                "identities": told[self.mode],
                "facts": {"mode": self.mode, "lock": "unlocked", "battery": "70", "codename": "gimbal",
                          "model-code": "FL-1", "merging": "none"},
                "acts": ["restart", "resize-volume", "remove-volume", "take-stream"] if in_recovery else ["restart"],
                "restarts": ["system", "bootloader", "recovery"], "reads": "at-rest" if in_recovery else "none",
                "streams": ["sideload"] if in_recovery else [],
                "limits": {"download_bytes": 32 * MIB, "body_bytes": MOST},
                "scratch": {"path": "/tmp/bench", "free_bytes": MIB, "lasts": "restart"} if in_recovery else None}

    def decided_under(self, epoch):
        if epoch != self.epoch and not CARELESS:
            raise Refused("stale-epoch", f"it is {self.epoch} now")

    def partitions(self):
        self.runs_recovery()
        areas = [{"area": area.number, "sector_bytes": SECTOR, "length_bytes": area.length} for area in self.areas.values()]
        parts = [{"label": label, "number": number, "area": area.number, "offset_bytes": at, "length_bytes": length}
                 for area in self.areas.values() for number, label, at, length in area.parts]
        volumes = [{"label": label, "area": 0, "number": 3, "length_bytes": len(data)} for label, data in self.volumes.items()]
        return {"areas": areas, "partitions": parts, "volumes": volumes}

    def spot(self, path):
        """Bytes, first byte and length of what a path below the device's names."""
        match path:
            case ["volumes", label] if label in self.volumes:
                return self.volumes[label], 0, len(self.volumes[label])
            case ["areas", area, "start" | "end" as end] if int(area) in self.areas:
                area = self.areas[int(area)]
                return (area.data, 0, MIB) if end == "start" else (area.data, area.end, area.length - area.end)
            case ["areas", area, "partitions", number, label] if int(area) in self.areas:
                area = self.areas[int(area)]
                for one, name, at, length in area.parts:
                    if (str(one), name) == (number, label):
                        return area.data, at, length
        raise Refused("not-found", "there is no " + "/".join(path))

    def act(self, asked):
        self.decided_under(asked["epoch"])
        kind, args = asked["kind"], asked.get("args", {})
        if kind == "restart":
            mode = args.get("mode")
            if mode not in ("system", "bootloader", "recovery"):
                raise Refused("bad-request", f"can't restart into {mode}")
            self.mode = "temporary-recovery" if mode == "recovery" else mode
            self.epoch += 1
            self.events.append({"n": len(self.events) + 1, "epoch": self.epoch, "what": "mode-changed"})
            self.streams.clear(), self.coming.clear(), self.files.clear()
        elif kind in ("resize-volume", "remove-volume"):
            self.runs_recovery()
            if args.get("volume") not in self.volumes:
                raise Refused("not-found", "there is no such volume")
            data = self.volumes.pop(args["volume"])
            if kind == "resize-volume":
                length = int(args["length"])
                self.volumes[args["volume"]] = data[:length].ljust(length, b"\0")
        elif kind == "take-stream":
            stream = self.streams.get(args.get("stream"))
            if not stream or len(stream["data"]) != stream["length_bytes"]:
                raise Refused("not-found" if not stream else "bad-request", "it is not whole")
            if blake3(stream["data"]) != stream["blake3"]:
                raise Refused("digest-differs", "other bytes than announced")
        else:
            raise Refused("unknown-command", "unknown command")
        self.operations.append({"id": len(self.operations) + 1, "kind": kind, "state": "done", "words": "OKAY"})
        return self.operations[-1]

    def open_stream(self, asked):
        self.decided_under(asked["epoch"])
        self.runs_recovery()
        if asked["kind"] != "sideload":
            raise Refused("wrong-mode", "what runs takes no such stream")
        if asked["length_bytes"] > 32 * MIB:
            raise Refused("too-large", "more than it takes")
        number = len(self.streams) + 1
        self.streams[str(number)] = asked | {"id": number, "data": bytearray()}
        return self.stream(str(number))

    def stream(self, number):
        if number not in self.streams:
            raise Refused("not-found", "there is no such stream")
        stream = self.streams[number]
        return {"id": stream["id"], "next_byte": len(stream["data"]), "length_bytes": stream["length_bytes"]}

    def path(self, path):
        self.runs_recovery()
        if not path.startswith("/tmp/bench") or posixpath.normpath(path) != path:
            raise Refused("bad-request" if ".." in path else "not-found", "not in the folder that is shown")
        return path

    def file(self, path):
        if self.path(path) not in self.files:
            raise Refused("not-found", "there is no such file")
        return self.files[path]


DEVICE = Device()


class Bridge(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"

    def log_message(self, *_):
        pass

    def answer(self, status, body, kind="application/json", extra=()):
        body = bytes(body) if isinstance(body, (bytes, bytearray)) else json.dumps(body).encode()
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
        version, *path = [unquote(part) for part in url.path.split("/")[1:]]
        asked = {key: values[0] for key, values in parse_qs(url.query).items()}
        if version != "v2":
            raise Refused("not-found", "this bridge speaks version 2")
        if path == ["bridge"]:
            return self.answer(200, {"name": "python", "link_version": 2, "extras": []})
        if path == ["devices"]:
            return self.answer(200, {"devices": [{key: DEVICE.state()[key] for key in ("handle", "listed", "epoch")}]})
        if path[:2] != ["devices", "one"]:
            raise Refused("not-found", "no such device")
        get = self.command == "GET"
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
                return self.answer(200, {"events": [one for one in DEVICE.events if one["n"] > int(asked.get("after", "0"))]})
            case ["partitions"]:
                return self.answer(200, DEVICE.partitions())
            case ["areas" | "volumes", *_] as spot:
                DEVICE.runs_recovery()
                return self.read(*DEVICE.spot(spot)) if get else self.write(*DEVICE.spot(spot), body)
            case ["files"]:
                folder = DEVICE.path(asked["path"]) + "/"
                names = [name for name in DEVICE.files if name.startswith(folder)]
                lines = [{"name": name.removeprefix(folder), "kind": "file", "length_bytes": len(DEVICE.files[name])} for name in names]
                return self.answer(200, {"entries": lines, "free_bytes": MIB})
            case ["file"] if get:
                data = DEVICE.file(asked["path"])
                return self.read(data, 0, len(data))
            case ["file"]:
                return self.push(DEVICE.path(asked["path"]), body)
            case ["file", "digest"]:
                data = DEVICE.file(asked["path"])
                return self.answer(200, {"blake3": blake3(data), "length_bytes": len(data)})
            case ["streams"]:
                return self.answer(200, DEVICE.open_stream(json.loads(body)))
            case ["streams", number] if get:
                return self.answer(200, DEVICE.stream(number))
            case ["streams", number]:
                return self.put_stream(number, body)
        raise Refused("not-found", "no such route")

    def read(self, data, at, length):
        first, last = map(int, self.headers["Range"].removeprefix("bytes=").split("-"))
        if last - first + 1 > MOST:
            raise Refused("too-large", f"at most {MOST} bytes")
        if last >= length or last < first:
            raise Refused("bad-request", f"there are {length} bytes")
        told = [("Content-Range", f"bytes {first}-{last}/{length}"), ("bench-epoch", str(DEVICE.epoch))]
        self.answer(206, data[at + first : at + last + 1], "application/octet-stream", told)

    def piece(self, body):
        """First byte and length of the whole, once epoch and digest are right."""
        DEVICE.decided_under(int(self.headers["bench-epoch"]))
        if len(body) > MOST:
            raise Refused("too-large", f"at most {MOST} bytes")
        if blake3(body) != self.headers["bench-blake3"]:
            raise Refused("digest-differs", "other bytes than announced")
        span, length = self.headers["Content-Range"].removeprefix("bytes ").split("/")
        return int(span.split("-")[0]), int(length)

    def write(self, data, at, length, body):
        first, _ = self.piece(body)
        if first + len(body) > length:
            raise Refused("bad-request", f"there are {length} bytes")
        data[at + first : at + first + len(body)] = body
        self.answer(200, {"blake3": blake3(body), "length_bytes": len(body)})

    def push(self, path, body):
        first, length = self.piece(body)
        data = DEVICE.coming.setdefault(path, bytearray()) if first else DEVICE.coming.update({path: bytearray()}) or DEVICE.coming[path]
        if first != len(data) or first + len(body) > length:
            raise Refused("bad-request", "this piece is not the next one")
        data += body
        if len(data) == length:
            DEVICE.files[path] = DEVICE.coming.pop(path)
        self.answer(200, {"blake3": blake3(body), "length_bytes": len(body)})

    def put_stream(self, number, body):
        state = DEVICE.stream(number)
        first, _ = self.piece(body)
        if first != state["next_byte"] or first + len(body) > state["length_bytes"]:
            raise Refused("bad-request", "this piece is not the next one")
        DEVICE.streams[number]["data"] += body
        self.answer(200, DEVICE.stream(number))


server = ThreadingHTTPServer(("127.0.0.1", 0), Bridge)
print(f"http://127.0.0.1:{server.server_port}", flush=True)
server.serve_forever()
