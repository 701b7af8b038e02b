#!/usr/bin/env python3
"""links.py CLI CONTROLLER CELL ROUNDS [SEED]: a live run whose controller and whose broker are killed again and again, ROUNDS times each, at moments
drawn at random. It goes on all the time, takes up with whoever is there at the end, and needs no more memory than at the beginning."""
import json, os, pathlib, random, shutil, signal, socket, subprocess, sys, tempfile, time

cli, controller, cell, rounds = sys.argv[1], sys.argv[2], sys.argv[3], int(sys.argv[4])
draw = random.Random(int(sys.argv[5]) if len(sys.argv) > 5 else 1)
folder = pathlib.Path(tempfile.mkdtemp(prefix="escarp-links-"))
program = pathlib.Path(cell).with_suffix(".st")
quiet = dict(stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)


def free_port():
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return s.getsockname()[1]


plc, bus = free_port(), free_port()
tree = json.loads(pathlib.Path(cell).read_text())
tree["links"] = [{"id": "plc", "protocol": "Modbus TCP server", "port": plc}, {"id": "bus", "protocol": "MQTT", "port": bus, "topic": "cell"}]
(folder / "cell.escarp").write_text(json.dumps(tree))
(folder / "broker.conf").write_text(f"listener {bus} 127.0.0.1\nallow_anonymous true\n")
run = subprocess.Popen([cli, "live", str(folder / "cell.escarp"), "--variant", "C", "--link", "plc", "--link", "bus", "--json"],
                       stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True)


def fail(what):
    run.kill()
    print(f"{what}; see {folder}\n{run.stderr.read()[-2000:]}", file=sys.stderr)
    sys.exit(1)


def memory():
    if run.poll() is not None:
        fail(f"the live run ended ({run.returncode})")
    for line in pathlib.Path(f"/proc/{run.pid}/status").read_text().splitlines():
        if line.startswith("RssAnon"):
            return int(line.split()[1]) / 1024


def controller_once(live_s):
    c = subprocess.Popen([controller, str(program), "--port", str(plc)], **quiet)
    time.sleep(live_s)
    c.kill()
    c.wait()


def online(patience_s):
    until = time.time() + patience_s
    while time.time() < until:  # the broker may not be up yet
        got = subprocess.run(["mosquitto_sub", "-p", str(bus), "-t", "cell/state", "-C", "1", "-W", "2"], capture_output=True, text=True)
        if got.stdout.strip() == "online":
            return True
        time.sleep(0.05)
    return False


def broker():
    return subprocess.Popen(["/usr/sbin/mosquitto", "-c", str(folder / "broker.conf")], **quiet)


began = time.time()
while True:  # until it listens
    memory()
    with socket.socket() as s:
        if s.connect_ex(("127.0.0.1", plc)) == 0:
            break
    time.sleep(0.05)
first, seen = memory(), 0
for i in range(rounds):
    controller_once(draw.uniform(0.002, 0.08))
    b = broker()
    if i % 20 == 0 and online(10):
        seen += 1
    else:
        time.sleep(draw.uniform(0.005, 0.1))
    b.kill()
    b.wait()
    memory()
# Whoever is there at the end is taken up with.
good = subprocess.Popen([controller, str(program), "--port", str(plc)], **quiet)
last = broker()
if not online(30):
    fail("the broker that stays is not taken up with")
time.sleep(2)
grown = memory() - first
run.send_signal(signal.SIGINT)
out, err = run.communicate(timeout=60)
good.kill(), last.kill()
said = json.loads(out)
links = {l["link"]: l for l in said["links"]}
hours = said["ran_s"] / 3600
# A live run keeps its history: that grows with its time, and is not what a lost connection leaves behind.
most = 20 + 400 * hours
if links["plc"]["exchanges"] == 0 or links["bus"]["lost"] < seen or grown > most:
    fail(f"{links}, memory {first:.0f} MB at first, {grown:.0f} MB more (at most {most:.0f})")
shutil.rmtree(folder)
print(f"controller and broker killed {rounds} times each in {time.time() - began:.0f} s: the run went on for {said['ran_s']:.0f} s, "
      f"{links['plc']['exchanges']} exchanges with the controller ({links['plc']['lost']} times lost), the broker met {seen} times, "
      f"{grown:.0f} MB more than at first")
