// A cell run live: the computed run with another clock; with its arbiter outside; kept, and run again to the same bits.
#include <sqlite3.h>
#include <catch2/catch.hpp>
#include <csignal>
#include <filesystem>
#include <set>

#include <cell/text/disk.h>
#include <controller/machine.h>
#include <exchange/controller_text.h>
#include <link/connection.h>
#include <link/follower_findings.h>
#include <link/record.h>
#include <study/interlock.h>

#include "support/arms_only.h"
#include "support/cells.h"
#include "support/folder.h"
#include "support/ports.h"
#include "support/random_cells.h"
#include "support/rounds.h"

using namespace escarp;
using cell::json;
using simulation::seconds;
using simulation::Ticks;
using simulation::ticks;

namespace {

/// Changes of every signal and the ends of every block.
bool same(const simulation::Run& a, const simulation::Run& b) {
    if (a.trace.signals.size() != b.trace.signals.size() || a.trace.blocks.size() != b.trace.blocks.size())
        return false;
    for (std::size_t i = 0; i < a.trace.signals.size(); ++i)
        if (a.trace.signals[i].changes != b.trace.signals[i].changes) return false;
    for (std::size_t i = 0; i < a.trace.blocks.size(); ++i)
        if (a.trace.blocks[i].from != b.trace.blocks[i].from || a.trace.blocks[i].to != b.trace.blocks[i].to)
            return false;
    return true;
}

std::shared_ptr<const simulation::Run> computed(const cell::Cell& cell, Ticks until) {
    simulation::PlanCache plans;
    simulation::RunSession session(cell, plans);
    session.start();
    session.advance(until);
    return session.finish(until, until);
}

/// The twin testers with their interlock; decided outside if asked for.
cell::Layout twin_testers(bool outside, double early_s = 0, int port = 1, const char* protocol = "Modbus TCP server") {
    cell::Document d = cell::Document::load(std::string(ESCARP_SOURCE) + "/demo/twin-testers.escarp");
    json tree = d.resolved("B");
    json& interlock = tests::device(tree, "interlock");
    if (outside)
        interlock["io"] = {{{"id", "first_may"}, {"outside", true}}, {{"id", "second_may"}, {"outside", true}}};
    for (json& p : interlock["points"])
        if (p["does"] == "asks" && early_s > 0) p["early_s"] = early_s;
    tree["links"] = {{{"id", "plc"}, {"port", port}, {"protocol", protocol}}};
    tree["variants"] = {{{"id", "B"}, {"name", "B"}}};
    tree["baseline"] = "B";
    return simulation::layout(cell::Document::parse(tree.dump()), "B");
}

/// The program goes through one scan after the other in lock-step with the cell, in this process.
std::shared_ptr<const simulation::Run> in_lock_step(const cell::Layout& layout, Ticks scan, Ticks until,
    std::vector<link::Heard>* heard = nullptr, link::RecordWriter* record = nullptr, bool finish = true) {
    const auto cell = layout.shared_cell();
    controller::Machine machine(controller::compile(exchange::controller_text(layout)));
    const link::AddressTable table = link::address_table(*cell);
    link::LiveOptions how;
    how.lock_step = true, how.end = until;
    if (record) record->attach(how);
    link::LiveRun run(cell, how);
    std::vector<double> values;
    std::int64_t now = 0;
    for (int number = 0;; ++number) {
        std::vector<std::uint16_t> image;
        for (int b = 0; b < machine.output_bytes(); b += 2) image.push_back(machine.outputs().word(b));
        const auto state = run.step(number == 0 ? 0 : scan, number, link::read_image(table, true, image), values);
        if (state == wire::lock_step::over) break;
        if (state == wire::lock_step::not_yet) {
            --number;
            continue;
        }
        const auto in = link::write_image(table, false, values);
        for (std::size_t w = 0; w < in.size(); ++w) machine.inputs().set_word(static_cast<int>(2 * w), in[w]);
        machine.scan(now);
        now += scan / 1000;
    }
    REQUIRE(run.wait(60));
    if (heard) *heard = run.heard();
    if (record && finish) record->finish(run);
    return run.run();
}

/// Who held the interlock, in their order.
std::vector<int> grants(const cell::Cell& cell, const simulation::Run& run) {
    std::vector<int> all;
    const int device = cell.device("interlock");
    for (const simulation::Block& b : run.trace.blocks)
        if (b.device == device && b.kind == simulation::BlockKind::held) all.push_back(b.other);
    return all;
}

}  // namespace

TEST_CASE("a live run with nothing outside is the computed run, bit by bit, at any rate") {
    const auto cell = tests::read(tests::demo().resolved("A"));
    link::LiveOptions how;
    how.rate = 20, how.end = ticks(30);
    link::LiveRun run(cell, how);
    // Slowed, paused and stepped on the way: it changes nothing.
    while (run.status().now < ticks(5)) std::this_thread::sleep_for(std::chrono::milliseconds(2));
    run.set_rate(10);
    run.pause(true);
    const Ticks stood = [&] {
        Ticks before = -1;
        while (before != run.status().now)
            before = run.status().now, std::this_thread::sleep_for(std::chrono::milliseconds(50));
        return before;
    }();
    run.step_event();
    while (run.status().now == stood) std::this_thread::sleep_for(std::chrono::milliseconds(2));
    CHECK(run.status().paused);
    run.set_rate(20);
    run.pause(false);
    REQUIRE(run.wait(60));
    CHECK(run.status().now == ticks(30));
    CHECK(run.status().why_over == "its time is up");
    CHECK(same(*run.run(), *computed(*cell, ticks(30))));
    CHECK(run.heard().empty());
}

TEST_CASE("lock-step twice gives the same bits, and the record run again, too") {
    const cell::Layout layout = twin_testers(true);
    std::vector<link::Heard> heard;
    const auto one = in_lock_step(layout, ticks(0.01), ticks(120), &heard);
    const auto two = in_lock_step(layout, ticks(0.01), ticks(120));
    CHECK(same(*one, *two));
    CHECK(heard.size() > 100);
    const tests::Folder folder;
    const std::string file = (folder / "twin.record");
    const auto cell = layout.shared_cell();
    link::RecordWriter writer(
        file, {cell->name, "B", layout.content(), layout.tree(), "2026-12-01 12:00:00", 1, true}, *cell);
    const auto three = in_lock_step(layout, ticks(0.01), ticks(120), nullptr, &writer);
    CHECK(same(*one, *three));
    const link::Record record = link::read_record(file);
    CHECK(record.about.finished);
    CHECK(record.about.end == ticks(120));
    CHECK(record.about.content == layout.content());
    CHECK(record.heard.size() == heard.size());
    const auto again = link::run_again(record, *link::cell_of(record));
    CHECK(same(*again, *one));
    CHECK_FALSE(link::first_difference(record, *again));
    CHECK_NOTHROW(cell::check_target(file, {"record"}, {}));  // it may be replaced by the next one
    CHECK_THROWS_AS(cell::check_target(file, {"csv"}, {}), cell::InputError);
    // A program that ended before the run did leaves all that was until then, and it runs again.
    {
        link::RecordWriter cut(
            folder / "cut.record", {cell->name, "B", layout.content(), layout.tree(), "", 1, true}, *cell);
        in_lock_step(layout, ticks(0.01), ticks(60), nullptr, &cut, false);
    }
    const link::Record left = link::read_record(folder / "cut.record");
    CHECK_FALSE(left.about.finished);
    CHECK(left.heard.size() > 40);
    CHECK(left.about.end > ticks(50));
    CHECK_FALSE(link::first_difference(left, *link::run_again(left, *cell)));
    // What was not heard makes a difference, and is found.
    link::Record other = record;
    other.heard.erase(other.heard.begin() + 40);
    CHECK(link::first_difference(other, *link::run_again(other, *cell)));
    CHECK(link::record_csv(record).substr(0, 4) == "t_s,");
}

TEST_CASE(
    "the arbiter outside lets in the same, in the same order, as the one inside; it costs the scans that it takes") {
    const cell::Layout inside = twin_testers(false), outside = twin_testers(true);
    const auto cell = inside.shared_cell();
    const auto in = computed(*cell, ticks(200));
    double before = 0;
    for (const double scan : {0.001, 0.01, 0.05}) {
        const auto out = in_lock_step(outside, ticks(scan), ticks(200));
        std::vector<int> a = grants(*cell, *in), b = grants(*cell, *out);
        REQUIRE(b.size() > 50);
        REQUIRE(b.size() <= a.size());
        a.resize(b.size());
        CHECK(a == b);
        const double cycle = 200.0 / static_cast<double>(out->trace.departures.size());
        CHECK(cycle >= before);
        before = cycle;
    }
    // Never both at once.
    const auto out = in_lock_step(outside, ticks(0.03), ticks(200));
    Ticks free_from = 0;
    for (const simulation::Block& b : out->trace.blocks)
        if (b.device == cell->device("interlock") && b.kind == simulation::BlockKind::held) {
            CHECK(b.from >= free_from);
            free_from = b.to;
        }
    // Asked early enough, it costs nothing.
    const cell::Layout early = twin_testers(true, 0.1);
    const auto soon = in_lock_step(early, ticks(0.01), ticks(200));
    CHECK(
        std::abs(static_cast<int>(soon->trace.departures.size()) - static_cast<int>(in->trace.departures.size())) <= 1);
}

namespace {

/// Random arms that come into each other's space, with the interlock between them decided outside: never two are in,
/// and leave goes to who asked first, as it does inside, as far as the scans can tell who that was.
void arbiters_outside(unsigned seed, int cells) {
    tests::Draw draw(seed);
    const Ticks scan = ticks(0.01), until = ticks(40);
    int tried = 0, granted = 0;
    for (int round = 0; round < cells; ++round) {
        inspection::Cache cache;
        const cell::Layout bare = tests::layout_of(tests::arms_that_meet(draw));
        const auto before = tests::looked_at(bare, cache);
        if (before->zones->all.empty()) continue;
        cell::Layout inside = bare;
        std::string id;
        try {
            inside = bare.edited(study::keep_apart(bare, before->zones->all[0].id, "first come", cache, &id));
        } catch (const cell::InputError&) {
            continue;  // both begin within
        }
        json tree = inside.tree();
        tests::device(tree, id.c_str())["io"] = {
            {{"id", "first_may"}, {"outside", true}}, {{"id", "second_may"}, {"outside", true}}};
        tree["links"] = {{{"id", "plc"}, {"port", 1}, {"protocol", "Modbus TCP server"}}};
        const auto run = in_lock_step(tests::layout_of(tree), scan, until);
        INFO("cell " << round << " of seed " << seed);
        CHECK(run->trace.faults.empty());
        ++tried;
        struct Side {
            const simulation::SignalRecord *asks, *may;
        };
        const Side sides[2] = {{run->trace.signal(id + ".first_asks"), run->trace.signal(id + ".first_may")},
            {run->trace.signal(id + ".second_asks"), run->trace.signal(id + ".second_may")}};
        for (int s = 0; s < 2; ++s)
            for (const auto& [when, on] : sides[s].may->changes) {
                if (on == 0) continue;
                ++granted;
                const Side &own = sides[s], &other = sides[1 - s];
                CHECK(other.may->at(when) == 0);
                CHECK(own.asks->at(when) == 1);
                // The other one had not been waiting for longer, by what two scans can tell apart.
                if (other.asks->at(when - 1) == 1 && other.may->at(when - 1) == 0)
                    CHECK(other.asks->since(when - 1) >= own.asks->since(when) - 2 * scan);
            }
        // It goes on as the one inside does. Leave comes a scan later, by which an arm may have begun to brake: in a
        // few cells that costs a quarter of the rounds.
        const auto then = computed(inside.cell(), until);
        const auto times = [&](const simulation::Run& of, const char* which) {
            const auto& changes = of.trace.signal(id + which)->changes;
            return std::count_if(changes.begin(), changes.end(), [](const auto& c) { return c.second != 0; });
        };
        for (const char* which : {".first_may", ".second_may"})
            CHECK(static_cast<double>(times(*run, which)) == Approx(times(*then, which)).epsilon(0.3).margin(2));
    }
    CHECK(tried >= cells / 6);
    CHECK(granted >= 5 * tried);
}

}  // namespace

TEST_CASE("random cells with the arbiter outside: never two within, and who asks first goes first") {
    arbiters_outside(5, tests::rounds(24, 4));
}
TEST_CASE("the same for 1,000 random cells", "[.][thorough]") { arbiters_outside(6, 1000); }

TEST_CASE("over Modbus, the cell as server and as client, in lock-step and by the wall clock") {
    for (const bool server : {true, false}) {
        const cell::Layout layout =
            twin_testers(true, 0, tests::free_port(), server ? "Modbus TCP server" : "Modbus TCP client");
        const auto cell = layout.shared_cell();
        const tests::Folder folder;
        cell::write_file((folder / "p.st"), exchange::controller_text(layout));
        const auto run_with = [&](bool lock_step, double length) {
            link::LiveOptions how;
            how.lock_step = lock_step, how.end = ticks(length), how.rate = 10;
            link::LiveRun run(cell, how);
            const auto connection = link::connect(cell->links[0], run, lock_step);
            const std::string call = std::string(ESCARP_CONTROLLER) + " " + (folder / "p.st") + " --port " +
                                     std::to_string(cell->links[0].port) + (server ? "" : " --server") +
                                     (lock_step ? " --lock-step" : "") + " 2>/dev/null & echo $!";
            FILE* pipe = ::popen(call.c_str(), "r");
            long pid = 0;
            REQUIRE(std::fscanf(pipe, "%ld", &pid) == 1);
            const bool over = run.wait(120);
            ::kill(static_cast<pid_t>(pid), SIGTERM);
            ::pclose(pipe);
            REQUIRE(over);
            CHECK(connection->status().exchanges > 10);
            return run.run();
        };
        const auto by_step = run_with(true, 60);
        if (server) CHECK(same(*by_step, *in_lock_step(layout, ticks(0.01), ticks(60))));
        CHECK(by_step->trace.departures.size() > 10);
        const auto by_wall = run_with(false, 60);
        CHECK(by_wall->trace.departures.size() > 10);
    }
}

TEST_CASE("what is no record, a damaged one, one of another version: told, and nothing else is overwritten") {
    const tests::Folder folder;
    const auto said = [](const auto& act) {
        try {
            act();
        } catch (const cell::InputError& e) {
            return e.problems().front().message;
        }
        return std::string("nothing");
    };
    const cell::Layout layout = twin_testers(true);
    const auto cell = layout.shared_cell();
    const auto write = [&](const std::string& file) {
        link::RecordWriter(file, {cell->name, "B", layout.content(), layout.tree(), "", 1, true}, *cell);
    };
    cell::write_file((folder / "letter.record"), "a letter to somebody, not a record");
    CHECK(said([&] { write((folder / "letter.record")); }) ==
          "It holds something else than a record of a live run; another name is expected.");
    CHECK(cell::read_file((folder / "letter.record"), 1000) == "a letter to somebody, not a record");
    CHECK(said([&] { link::read_record((folder / "letter.record")); }).find("This is no record of a live run") == 0);
    CHECK(said([&] { link::read_record((folder / "none.record")); }) == "There is no such record.");
    const std::string file = (folder / "a.record");
    write(file);
    write(file);  // a record is replaced
    CHECK_FALSE(link::read_record(file).about.finished);
    const auto sql = [&](const char* words) {
        sqlite3* d = nullptr;
        sqlite3_open(file.c_str(), &d);
        CHECK(sqlite3_exec(d, words, nullptr, nullptr, nullptr) == SQLITE_OK);
        sqlite3_close(d);
    };
    sql("INSERT INTO changes VALUES (5, 99999, 1)");
    CHECK(said([&] { link::read_record(file); }) == "The record is damaged: changes are out of order or of no signal.");
    write(file);
    sql("INSERT INTO heard VALUES (0, 9, 1, 1); INSERT INTO heard VALUES (1, 5, 1, 1)");
    CHECK(said([&] { link::read_record(file); }) ==
          "The record is damaged: what was heard is out of order or of no signal.");
    write(file);
    sql("PRAGMA user_version = 77");
    CHECK(
        said([&] { link::read_record(file); }).find("another version of the program (77, not 1)") != std::string::npos);
    // A file that acts by itself is read without that.
    write(file);
    sql("DROP TABLE changes; CREATE VIEW changes AS WITH RECURSIVE n(t_ns) AS (SELECT 0 UNION ALL SELECT t_ns + 1 FROM "
        "n) SELECT t_ns, 0 AS signal, 0 AS value FROM n");
    CHECK(said([&] { link::read_record(file); }) != "nothing");
}

TEST_CASE("an arm that follows is where it is told to be; limits, jumps and silence are noted; the record has it all") {
    // The computed motion of the demo's arm, fed to an arm of the same model that has nothing to do.
    const auto leader = tests::read(tests::demo().resolved("A"));
    const auto motion = computed(*leader, ticks(20));
    const int arm = leader->device("arm1");
    json tree = tests::demo().resolved("A");
    for (json& d : tree["devices"]) d.erase("task"), d.erase("own_signals"), d.erase("first");
    tree["variants"] = {{{"id", "A"}, {"name", "A"}}}, tree["baseline"] = "A";
    const cell::Layout layout = simulation::layout(cell::Document::parse(tree.dump()), "A");
    const auto cell = layout.shared_cell();
    REQUIRE(simulation::RunSession::can_follow(cell->devices[arm]));
    CHECK_FALSE(simulation::RunSession::can_follow(leader->devices[arm]));
    const tests::Folder folder;
    link::RecordWriter writer(
        folder / "f.record", {cell->name, "A", layout.content(), layout.tree(), "", 1, true}, *cell);
    link::LiveOptions how;
    how.lock_step = true, how.end = ticks(12);
    writer.attach(how);
    link::LiveRun run(cell, how);
    std::vector<double> values;
    const auto& joints = leader->devices[arm].arm->model->mechanism.joints;
    int number = 0;
    const auto go_on = [&](double seconds) {
        while (run.step(ticks(seconds), ++number, {}, values) == wire::lock_step::not_yet) --number;
    };
    std::vector<kinematics::JointVector> told;
    for (int i = 0; i < 500; ++i) {  // every 20 ms
        told.push_back(motion->trace.joints(*leader, arm, ticks(0.02 * i)));
        run.follow(arm, told.back());
        go_on(0.02);
    }
    CHECK(run.notes().empty());
    kinematics::JointVector q = told.back();
    q[1] += 1.5;
    run.follow(arm, q);
    go_on(0.02);
    q[1] = joints[1].high + 0.1;
    run.follow(arm, q);
    go_on(0.02);
    run.follow(arm, kinematics::JointVector::Zero(3));  // of another arm
    q[0] = std::nan("");
    run.follow(arm, q);
    go_on(1.9);
    go_on(0.06);
    REQUIRE(run.wait(30));
    const auto notes = run.notes();
    REQUIRE(notes.size() >= 3);
    CHECK(notes[0].words.find("jumps") != std::string::npos);
    CHECK(std::any_of(notes.begin(), notes.end(),
        [](const auto& n) { return n.words.find("beyond its limits") != std::string::npos; }));
    CHECK(std::any_of(notes.begin(), notes.end(),
        [](const auto& n) { return n.words.find("nothing has been heard") != std::string::npos; }));
    // As findings: one for each thing, with how often it was and when it was first.
    const std::vector<inspection::Finding> findings = link::findings_of(*cell, notes);
    std::set<std::string> different;
    for (const link::FollowerNote& n : notes) different.insert(n.words);
    REQUIRE(findings.size() == different.size());
    for (const inspection::Finding& f : findings) {
        const auto same = [&](const link::FollowerNote& n) {
            return f.title == cell->devices[arm].name + ": " + n.words;
        };
        const auto first = std::find_if(notes.begin(), notes.end(), same);
        REQUIRE(first != notes.end());
        CHECK(*f.when_s == Approx(simulation::seconds(first->when)));
        const auto times = std::count_if(notes.begin(), notes.end(), same);
        CHECK((f.text.find("more time") != std::string::npos || f.text.find("once more") != std::string::npos) ==
              (times > 1));
        CHECK(f.device == cell->devices[arm].id);
    }
    // Each is taken in before the step that follows it.
    for (std::size_t i = 0; i < told.size(); ++i)
        CHECK(run.run()->trace.joints(*cell, arm, ticks(0.02 * static_cast<double>(i))) == told[i]);
    writer.finish(run);
    const link::Record record = link::read_record(folder / "f.record");
    const auto again = link::run_again(record, *link::cell_of(record));
    for (Ticks t = 0; t < ticks(12); t += ticks(0.013))
        CHECK(again->trace.joints(*cell, arm, t) == run.run()->trace.joints(*cell, arm, t));
}

TEST_CASE("signals that nobody outside may set, wrong values and unknown signals are not taken in") {
    const cell::Layout layout = twin_testers(true);
    const auto cell = layout.shared_cell();
    link::LiveOptions how;
    how.rate = 20, how.end = ticks(5);
    link::LiveRun run(cell, how);
    const int busy = cell->signal("north.busy"), may = cell->signal("interlock.first_may");
    run.hear({{busy, 1}, {-1, 1}, {100'000, 1}, {may, std::numeric_limits<double>::quiet_NaN()}});
    run.hear({{may, 1}});
    REQUIRE(run.wait(60));
    for (const link::Heard& h : run.heard())
        for (const auto& [signal, value] : h.values) CHECK((signal == may && value == 1));
    CHECK(run.heard().size() == 1);
}
