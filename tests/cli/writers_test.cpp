// Commands that write a cell, several at once and on disks that are full.
#include <catch2/catch.hpp>
#include <sys/wait.h>
#include <thread>

#include <cell/document/safe_file.h>

#include "support/cells.h"
#include "support/folder.h"

using namespace escarp;
using cell::Document;
using escarp::tests::Folder;
using escarp::tests::json;

namespace {

struct Told {
    int code;
    std::string out, err;
};

/// A shell command with the program as $CLI and a state folder of its own.
Told shell(const Folder& folder, const std::string& command) {
    static std::atomic<int> count{0};
    const std::string mark = std::to_string(++count);
    const std::string all = "export CLI='" ESCARP_CLI "' XDG_STATE_HOME='" + (folder / "state") + "'; cd '" +
                            folder.path.string() + "'; ( " + command + " ) >'" + (folder / ("out" + mark)) + "' 2>'" +
                            (folder / ("err" + mark)) + "'";
    const int status = std::system(all.c_str());
    return {WIFEXITED(status) ? WEXITSTATUS(status) : -1, folder.read("out" + mark), folder.read("err" + mark)};
}

std::string move_line(const std::string& device, double x) {
    return R"({"operations":[{"at":"/devices/)" + device + R"(/placement/x_mm","value":)" + std::to_string(x) + "}]}";
}

double x_of(const std::string& file, const std::string& device) {
    return cell::find(Document::load(file).tree(), "/devices/" + device + "/placement/x_mm")->get<double>();
}

/// An edit that a killed session left in the journal.
void leave_edit(const Folder& folder, const std::string& file) {
    CHECK(shell(folder, "mkfifo in; (\"$CLI\" edit '" + file + "' <in >told & echo $! >pid; wait) & exec 3>in; echo '" +
                            move_line("tester", 2222) +
                            "' >&3; until grep -q done told 2>/dev/null; do sleep 0.01; done; kill -9 $(cat pid); exec "
                            "3>&-; rm in; wait")
              .code >= 0);
}

}  // namespace

TEST_CASE("four writers at once: each edit that is acknowledged is in the file, whoever is refused is told") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    const std::vector<std::string> devices{"tester", "marker", "pedestal1", "pedestal2"};
    std::map<std::string, double> acknowledged;
    for (int round = 0; round < 15 || (acknowledged.size() < 4 && round < 300); ++round) {
        std::vector<Told> told(4);
        std::vector<std::thread> writers;
        for (std::size_t w = 0; w < 4; ++w)
            writers.emplace_back([&, w] {
                told[w] = shell(folder, "echo '" + move_line(devices[w], 1000 + 10 * round + static_cast<double>(w)) +
                                            "' | \"$CLI\" edit a.escarp");
            });
        for (std::thread& w : writers) w.join();
        for (std::size_t w = 0; w < 4; ++w) {
            if (told[w].code == 0) {
                acknowledged[devices[w]] = 1000 + 10 * round + static_cast<double>(w);
            } else {
                CHECK(told[w].err.find("another program") != std::string::npos);
            }
            CHECK((told[w].code == 0) == (told[w].out.find("done") != std::string::npos));
        }
        for (const auto& [device, x] : acknowledged) CHECK(x_of(file, device) == Approx(x));
    }
    CHECK(acknowledged.size() == 4);
}

TEST_CASE("what changed between the reading and the saving is not written over; the edits wait in the journal") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    const Document theirs = tests::demo().renamed_variant("B", "Theirs");
    theirs.save(folder / "theirs");
    const Told told = shell(folder,
        "{ echo '" + move_line("tester", 2345) +
            "'; until [ -s told ]; do sleep 0.01; done; cat theirs >a.escarp; } | \"$CLI\" edit a.escarp | tee told");
    CHECK(told.err.find("changed or removed the file") != std::string::npos);
    CHECK(Document::load(file) == theirs);
    const Told left = shell(folder, "\"$CLI\" recover a.escarp");
    CHECK(left.out.find("1 edits") != std::string::npos);
    // Taking them puts what the file held in between aside.
    const Told taken = shell(folder, "\"$CLI\" recover a.escarp --take");
    CHECK(taken.code == 0);
    CHECK(x_of(file, "tester") == 2345);
    const std::size_t at = taken.out.find(folder.path.string());
    REQUIRE(at != std::string::npos);
    CHECK(Document::load(taken.out.substr(at, taken.out.find('\n', at) - at)) == theirs);
}

TEST_CASE("no command writes over edits that an interrupted session left; dropping them keeps them aside") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    leave_edit(folder, file);
    folder.write("b.stl",
        "solid x\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 90 0 0\nvertex 0 90 "
        "40\nendloop\nendfacet\nfacet normal 0 0 1\nouter loop\nvertex 0 0 0\nvertex 90 0 0\nvertex 20 20 "
        "70\nendloop\nendfacet\nendsolid x\n");
    for (const char* command : {"import a.escarp b.stl", "read-urdf a.escarp b.urdf", "edit a.escarp </dev/null"}) {
        const Told told = shell(folder, "\"$CLI\" " + std::string(command));
        CHECK(told.code == 2);
        CHECK(told.err.find("interrupted session") != std::string::npos);
    }
    CHECK(Document::load(file) == tests::demo());
    const Told dropped = shell(folder, "\"$CLI\" recover a.escarp --drop");
    CHECK(dropped.code == 0);
    const std::size_t at = dropped.out.find(folder.path.string());
    REQUIRE(at != std::string::npos);
    CHECK(x_of(dropped.out.substr(at, dropped.out.find('\n', at) - at), "tester") == 2222);
    CHECK(shell(folder, "\"$CLI\" import a.escarp b.stl").code == 0);
}

TEST_CASE("a cell that was deleted after a kill is recovered from its journal") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    leave_edit(folder, file);
    std::filesystem::remove(file);
    CHECK(shell(folder, "\"$CLI\" run a.escarp").code == 2);
    CHECK(shell(folder, "\"$CLI\" recover a.escarp").out.find("whole cell") != std::string::npos);
    CHECK(shell(folder, "\"$CLI\" recover a.escarp --take").code == 0);
    CHECK(x_of(file, "tester") == 2222);
    std::filesystem::remove(file);
    const Told gone = shell(folder, "\"$CLI\" recover a.escarp");
    CHECK(gone.code == 2);
    CHECK(gone.err.find("Nothing was left") != std::string::npos);
}

TEST_CASE("a result that cannot be written is no success") {
    const Folder folder;
    tests::demo().save(folder / "a.escarp");
    for (const char* command : {"run a.escarp --json", "run a.escarp", "validate a.escarp", "placements a.escarp",
             "catalogue", "which-arm a.escarp --arm arm1"}) {
        const Told told = shell(folder, "\"$CLI\" " + std::string(command) + " >/dev/full");
        INFO(command);
        CHECK(told.code == 2);
        CHECK(told.err.find("No space left") != std::string::npos);
    }
    const Told closed = shell(folder, "{ \"$CLI\" trace a.escarp --horizon 3000; echo $? >code; } | true");
    CHECK(folder.read("code") == "2\n");
    CHECK(closed.err.find("Broken pipe") != std::string::npos);
    const Told drawing = shell(folder, "ulimit -f 1; trap '' XFSZ; \"$CLI\" draw a.escarp --out b.pdf");
    CHECK(drawing.code == 2);
    CHECK(!std::filesystem::exists(folder / "b.pdf"));
    CHECK(shell(folder, "ls | grep -c new-").out == "0\n");
}

TEST_CASE("several files are validated at once, each by itself") {
    const Folder folder;
    tests::demo().save(folder / "a.escarp");
    folder.write("b.escarp", "{}");
    const Told told = shell(folder, "\"$CLI\" validate --json a.escarp b.escarp missing.escarp");
    CHECK(told.code == 2);
    const json all = json::parse(told.out);
    REQUIRE(all.size() == 3);
    CHECK(all[0]["valid"] == true);
    CHECK(all[1]["valid"] == false);
    CHECK(all[2]["file"] == "missing.escarp");
}

TEST_CASE("what is handed on never takes the place of a cell, of results, of what is read or of a device") {
    const Folder folder;
    tests::demo().save(folder / "a.escarp");
    tests::demo().save(folder / "b.escarp");
    folder.write("kept.results", std::string("SQLite format 3\0", 16) + "the runs");
    folder.write("cell.csv", folder.read("b.escarp"));  // a cell under another name
    const std::vector<std::string> commands{
        "io-list a.escarp --out", "placements a.escarp --out", "draw a.escarp --out",
        "report a.escarp --replications 2 --out"};
    for (const char* named : {"a.escarp", "b.escarp", "kept.results", "cell.csv", "/dev/null"}) {
        const std::string target = named;
        const std::string before = target[0] == '/' ? "" : folder.read(target);
        for (const std::string& command : commands) {
            INFO(command << " " << target);
            const Told told = shell(folder, "\"$CLI\" " + command + " " + target);
            CHECK(told.code == 2);
            CHECK_FALSE(told.err.empty());
            if (target[0] != '/') CHECK(folder.read(target) == before);
        }
    }
    CHECK(std::filesystem::is_character_file("/dev/null"));
    // A name of its own goes, also over what the same command wrote before.
    for (int again = 0; again < 2; ++again)
        CHECK(shell(folder, "\"$CLI\" placements a.escarp --out places.csv").code == 0);
    CHECK(folder.read("places.csv").size() > 100);
}

TEST_CASE("help: the commands, one of them, the edits; what is not there is told") {
    const Folder folder;
    const Told all = shell(folder, "\"$CLI\" help");
    CHECK(all.code == 0);
    for (const char* command : {"run", "compare", "recover", "study", "interlock"})
        CHECK(all.out.find(std::string("\n  ") + command + " ") != std::string::npos);
    const Told one = shell(folder, "\"$CLI\" help trace");
    CHECK(one.code == 0);
    CHECK(one.out.find("escarp-cli trace ") != std::string::npos);
    CHECK(one.out.find("--from") != std::string::npos);
    CHECK(shell(folder, "\"$CLI\" help edits").out.find("\"do\"") != std::string::npos);
    const Told none = shell(folder, "\"$CLI\" help dance");
    CHECK(none.code == 2);
    CHECK(none.err.find("dance") != std::string::npos);
    CHECK(shell(folder, "\"$CLI\" recover a.escarp --take --drop").code == 2);
}

TEST_CASE("a limit on the size of files is told, and nothing is left in the file's place") {
    const Folder folder;
    tests::demo().save(folder / "a.escarp");
    const Told told = shell(folder, "ulimit -f 1; \"$CLI\" draw a.escarp --out plan.svg");
    CHECK(told.code == 2);
    CHECK_FALSE(told.err.empty());
    CHECK(folder.read("plan.svg").empty());
    CHECK_FALSE(std::filesystem::exists(folder / "plan.svg"));
}
