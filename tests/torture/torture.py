#!/usr/bin/env python3
"""torture.py CLI CELL ROUNDS [SEED]: the worst disk and the worst moment. Kills while editing and saving, disks that are full, files that are
read-only or written by others meanwhile, four writers at once. After each round the file is whole, what was acknowledged is in it or offered by
`recover`, and the next start leaves nothing beside it. Full disks need root (a small file system of its own is mounted); without, they are left out."""
import collections, json, os, pathlib, random, shutil, signal, subprocess, sys, tempfile, threading, time

cli, cell, rounds = sys.argv[1], sys.argv[2], int(sys.argv[3])
draw = random.Random(int(sys.argv[4]) if len(sys.argv) > 4 else 1)
folder = pathlib.Path(tempfile.mkdtemp(prefix="escarp-torture-"))
env = dict(os.environ, XDG_STATE_HOME=str(folder / "state"))
counts = collections.Counter()
small = None


def edit_line(value):
    return json.dumps({"name": "Move", "operations": [{"at": "/devices/tester/placement/x_mm", "value": value}]}) + "\n"


def value_in(file):
    devices = json.loads(pathlib.Path(file).read_text())["devices"]  # raises where the file is torn
    return next(d for d in devices if d["id"] == "tester")["placement"]["x_mm"]


def fail(what):
    print(f"round {counts['rounds']}: {what}; see {folder}", file=sys.stderr)
    leave()
    sys.exit(1)


def leave():
    if small:
        subprocess.run(["umount", str(small)], check=False)


def after(file, acknowledged, at_most):
    """The next start: whole, nothing acknowledged lost, nothing left beside the file."""
    if os.path.exists(file):
        try:
            value_in(file)
        except Exception as e:
            fail(f"the file is torn: {e}")
    told = subprocess.run([cli, "recover", str(file), "--take"], env=env, capture_output=True, text=True)
    if told.returncode != 0:
        fail(f"recover: {told.stderr}")
    counts["recovered"] += "in the file now" in told.stdout
    now = value_in(file)
    if not acknowledged <= now <= at_most:
        fail(f"{acknowledged} was acknowledged, {now} is there")
    beside = [p.name for p in pathlib.Path(file).parent.iterdir() if ".new" in p.name or p.name.endswith(".edits")]
    if beside:
        fail(f"left beside it: {beside}")


def kill(file):
    """Edits and saves as fast as they go, and SIGKILL at some instant after some answers."""
    value = value_in(file)
    begin = value
    p = subprocess.Popen([cli, "edit", str(file)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, env=env, text=True, bufsize=1)
    answers, asked = [], []
    reader = threading.Thread(target=lambda: answers.extend(p.stdout))
    reader.start()
    wanted = draw.randrange(0, 12)
    try:
        while len(answers) < wanted and p.poll() is None:
            if len(asked) - len(answers) > 4:
                time.sleep(0.0002)
                continue
            value += 0.01
            p.stdin.write(edit_line(value))
            asked.append(value)
            if draw.random() < 0.4:
                p.stdin.write('{"save": true}\n')
                asked.append(None)
        time.sleep(draw.random() * (0.003 if wanted else 0.02))
    except BrokenPipeError:
        pass
    p.send_signal(signal.SIGKILL)
    p.wait()
    reader.join()
    if any("refused" in a for a in answers):
        fail(f"refused: {answers}")
    done = [v for v, a in zip(asked, answers) if v is not None]
    counts["kills"] += 1
    counts["kills at work"] += bool(answers)
    counts["left half a file"] += any(".new" in p.name for p in folder.iterdir())
    after(file, done[-1] if done else begin, value)


def full_disk(_):
    """A file system with room for the file and little else."""
    file = small / "b.escarp"
    for p in small.iterdir():
        p.unlink()
    shutil.copy(cell, file)
    room = os.statvfs(small)
    free = room.f_bavail * room.f_frsize
    (small / "filler").write_bytes(b"x" * max(0, free - draw.randrange(0, 60_000)))
    before = value_in(file)
    value = before + 1
    told = subprocess.run([cli, "edit", str(file)], input="".join(edit_line(value + 0.01 * i) for i in range(5)) + '{"save": true}\n', env=env, capture_output=True, text=True)
    done = [value + 0.01 * i for i, line in enumerate(told.stdout.splitlines()[:5]) if "done" in line]
    if told.returncode == 0 and abs(value_in(file) - (value + 0.04)) > 1e-9:
        fail("said to be saved on a full disk, and is not")
    if told.returncode != 0 and "space" not in told.stdout + told.stderr:
        fail(f"no reason is given: {told.stdout} {told.stderr}")
    counts["full disks"] += 1
    counts["full disks refused"] += told.returncode != 0
    if abs(value_in(file) - before) > 1e-9 and not done:
        fail("the file was changed by an edit that was refused")
    (small / "filler").unlink()
    after(file, done[-1] if done else before, value + 0.04)
    drawing = subprocess.run([cli, "draw", str(file), "--out", str(small / "d.pdf")], env=env, capture_output=True, text=True)
    if drawing.returncode != 0:
        fail(drawing.stderr)


def read_only(file):
    before = value_in(file)
    os.chmod(file, 0o444)
    told = subprocess.run([cli, "edit", str(file)], input=edit_line(before + 1), env=env, capture_output=True, text=True)
    if told.returncode != 2 or "read-only" not in told.stderr or value_in(file) != before:
        fail(f"a read-only file: {told}")
    os.chmod(file, 0o664)
    counts["read-only"] += 1
    after(file, before + 1, before + 1)
    if os.stat(file).st_mode & 0o777 != 0o664:
        fail("the mode has changed")


def others(file):
    """Another program writes the file between reading and saving."""
    before = value_in(file)
    tree = json.loads(file.read_text())
    next(d for d in tree["devices"] if d["id"] == "tester")["placement"]["x_mm"] = before + 0.5
    p = subprocess.Popen([cli, "edit", str(file)], stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.PIPE, env=env, text=True, bufsize=1)
    p.stdin.write(edit_line(before + 1))
    p.stdin.flush()
    if "done" not in p.stdout.readline():
        fail("an edit was not taken")
    file.write_text(json.dumps(tree))
    _, err = p.communicate()
    if p.returncode != 2 or "changed" not in err or value_in(file) != before + 0.5:
        fail(f"written over what another program wrote: {err}")
    counts["changed meanwhile"] += 1
    after(file, before + 1, before + 1)


def writers(file):
    before = value_in(file)
    told = [None] * 4

    def write(i):
        told[i] = subprocess.run([cli, "edit", str(file)], input=edit_line(before + 1 + i), env=env, capture_output=True, text=True)

    threads = [threading.Thread(target=write, args=(i,)) for i in range(4)]
    for t in threads:
        t.start()
    for t in threads:
        t.join()
    good = [before + 1 + i for i in range(4) if told[i].returncode == 0]
    if not good or value_in(file) not in good:
        fail(f"four writers: {good} were acknowledged, {value_in(file)} is there")
    counts["writers"] += 4
    counts["writers refused"] += 4 - len(good)
    after(file, min(good), max(good))


if os.geteuid() == 0:
    small = folder / "small"
    small.mkdir()
    if subprocess.run(["mount", "-t", "tmpfs", "-o", "size=512k", "none", str(small)], capture_output=True).returncode != 0:
        small = None
if not small:
    print("full disks are left out: no small file system can be mounted here")
file = folder / "a.escarp"
tree = json.loads(pathlib.Path(cell).read_text())
next(d for d in tree["devices"] if d["id"] == "tester")["placement"]["x_mm"] = 3000.0
file.write_text(json.dumps(tree))
file.chmod(0o664)
start = time.time()
kinds = [kill] * 6 + [read_only, others, writers] + ([full_disk] if small else [])
for counts["rounds"] in range(1, rounds + 1):
    draw.choice(kinds)(file)
    if value_in(file) > 9000:
        file.write_text(json.dumps(tree))
leave()
shutil.rmtree(folder)
print(f"{rounds} rounds in {time.time() - start:.0f} s, nothing lost: " + ", ".join(f"{v} {k}" for k, v in counts.items() if k != "rounds"))
