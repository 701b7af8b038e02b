#include <catch2/catch.hpp>

#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <cstdio>
#include <filesystem>
#include <fstream>
#include <set>

#include "support/cells.h"

using escarp::tests::json;

namespace {

struct Output {
    int code;
    std::string text;
    json parsed() const { return json::parse(text); }
};

Output cli(const std::string& arguments) {
    FILE* pipe = ::popen((std::string(ESCARP_CLI) + " " + arguments + " 2>/dev/null").c_str(), "r");
    REQUIRE(pipe);
    Output out;
    std::array<char, 65536> buffer;
    while (const std::size_t n = std::fread(buffer.data(), 1, buffer.size(), pipe)) out.text.append(buffer.data(), n);
    const int status = ::pclose(pipe);
    out.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    return out;
}

const std::string demo = ESCARP_DEMO;

}  // namespace

TEST_CASE("same file, same bits: two runs, one thread and two") {
    for (const char* v : {"A", "B", "C"}) {
        const std::string first = cli("run " + demo + " --json --variant " + v).text;
        CHECK(first == cli("run " + demo + " --json --variant " + v).text);
        CHECK(first == cli("run " + demo + " --json --threads 1 --variant " + v).text);
        CHECK(first == cli("run " + demo + " --json --threads 2 --variant " + v).text);
        CHECK(first.size() > 2000);
    }
    CHECK(cli("compare " + demo + " --json --threads 1").text == cli("compare " + demo + " --json --threads 2").text);
    CHECK(cli("trace " + demo + " --json").text == cli("trace " + demo + " --json --threads 1").text);
}

TEST_CASE("exit codes: 0 fine, 1 a stop finding with --strict, 2 bad input") {
    CHECK(cli("validate " + demo).code == 0);
    CHECK(cli("run " + demo).code == 0);
    CHECK(cli("run " + demo + " --strict").code == 0);
    CHECK(cli("run " + demo + " --variant C").code == 0);
    CHECK(cli("run " + demo + " --variant C --strict").code == 1);
    CHECK(cli("compare " + demo + " --strict").code == 1);
    CHECK(cli("run /no/such.escarp").code == 2);
    CHECK(cli("run " + demo + " --variant Z").code == 2);
    CHECK(cli("run").code == 2);
    CHECK(cli("dance " + demo).code == 2);
    CHECK(cli("state " + demo + " --at -5").code == 2);
    CHECK(cli("fk " + demo + " --arm arm1 --joints 1 2").code == 2);
    CHECK(cli("fk " + demo + " --arm tester --joints 0 0 0 0 0 0").code == 2);
    CHECK(cli("ik " + demo + " --arm arm1 --pose 1 2 3 4 5 6 --frame nowhere").code == 2);
    CHECK(cli("--help").code == 0);
}

TEST_CASE("broken files say where, on stderr and as JSON") {
    const auto file = std::filesystem::temp_directory_path() / ("escarp-cli-" + std::to_string(::getpid()) + ".escarp");
    std::ofstream(file) << "{\"escarp\": 1,\n \"devices\": [{\"id\": \"x\", \"name\": \"X\", \"kind\": \"conveyor\"}]}";
    const Output out = cli("validate --json " + file.string());
    CHECK(out.code == 2);
    CHECK(out.parsed()["valid"] == false);
    CHECK(out.parsed()["problems"].size() >= 4);
    CHECK(out.parsed()["problems"][0]["where"] == "devices/x/length_mm");
    std::filesystem::remove(file);
}

TEST_CASE("run and compare give the figures that the issue of a cell is judged by") {
    const json r = cli("run " + demo + " --json").parsed();
    for (const char* key : {"cycle_s", "rate_per_h", "takt", "reach", "clearance", "device_shares", "findings",
             "longest_chain", "floor_m2"})
        CHECK(r.contains(key));
    const json c = cli("compare " + demo + " --json").parsed();
    REQUIRE(c["variants"].size() == 4);
    CHECK(c["variants"][0]["cycle_s"] == r["cycle_s"]);
    CHECK(c["variants"][1]["against_baseline"]["cycle_s"].get<double>() ==
          Approx(c["variants"][1]["cycle_s"].get<double>() - c["variants"][0]["cycle_s"].get<double>()).margin(1e-6));
    CHECK(c["variants"][1]["differs"].size() > 3);
    CHECK(c["variants"][2]["cycle_s"].is_null());
}

TEST_CASE(
    "with --complete the findings are all those that the window has a moment later, with ways out and their price") {
    const auto titles = [](const json& r) {
        std::set<std::string> all;
        for (const json& f : r["findings"]) all.insert(f["title"].get<std::string>());
        return all;
    };
    const json bare = cli("run " + demo + " --variant B --json").parsed();
    const json whole = cli("run " + demo + " --variant B --complete --json").parsed();
    CHECK(titles(bare).size() == 1);
    CHECK(titles(whole).count("Arm 1 and Arm 2 are in Zone 1 together") == 1);
    for (const json& f : whole["findings"]) CHECK_FALSE(f["ways_out"].empty());
    const json all = cli("compare " + demo + " --complete --json").parsed();
    for (const json& v : all["variants"])
        if (v["variant"] == "B") CHECK(titles(v) == titles(whole));
}

TEST_CASE("the trace has every block, and the state at an instant agrees with it") {
    const json t = cli("trace " + demo + " --json").parsed();
    REQUIRE(t["blocks"].size() > 100);
    const json* carry = nullptr;
    for (const json& b : t["blocks"])
        if (b["device"] == "arm1" && b["kind"] == "move" && b.contains("part") && b["step"] == "s4") {
            carry = &b;
            break;
        }
    REQUIRE(carry);
    const double middle = 0.5 * ((*carry)["from_s"].get<double>() + (*carry)["to_s"].get<double>());
    const json s = cli("state " + demo + " --at " + std::to_string(middle)).parsed();
    CHECK(s["arms"][0]["holds"] == (*carry)["part"]);
    json part;
    for (const json& p : s["parts"])
        if (p["part"] == (*carry)["part"]) part = p;
    REQUIRE(part.is_object());
    CHECK(part["held"] == true);
    // The housing hangs 75 mm below the tool frame, which points down.
    for (const int axis : {0, 1})
        CHECK(part["at"]["at_mm"][axis].get<double>() ==
              Approx(s["arms"][0]["tool"]["at_mm"][axis].get<double>()).margin(12));
    std::string joints;
    for (const json& q : s["arms"][0]["joints"]) joints += " " + q.dump();
    const json fk = cli("fk " + demo + " --arm arm1 --joints" + joints).parsed();
    for (const int axis : {0, 1, 2})
        CHECK(fk["tool_in_world"]["at_mm"][axis].get<double>() ==
              Approx(s["arms"][0]["tool"]["at_mm"][axis].get<double>()).margin(1e-5));
}

TEST_CASE("ik lists every solution, and each leads back through fk") {
    const json r = cli("ik " + demo + " --arm arm1 --pose 1450 1000 900 180 0 30").parsed();
    CHECK(r["reached"] == true);
    REQUIRE(r["solutions"].size() == 8);
    for (const json& s : r["solutions"]) {
        std::string joints;
        for (const json& q : s["joints"]) joints += " " + q.dump();
        const json fk = cli("fk " + demo + " --arm arm1 --joints" + joints).parsed()["tool_in_world"];
        CHECK(fk["at_mm"][0].get<double>() == Approx(1450).margin(1e-5));
        CHECK(fk["at_mm"][1].get<double>() == Approx(1000).margin(1e-5));
        CHECK(fk["at_mm"][2].get<double>() == Approx(900).margin(1e-5));
        CHECK(std::abs(fk["turn_deg"][0].get<double>()) == Approx(180).margin(1e-5));
        CHECK(fk["turn_deg"][2].get<double>() == Approx(30).margin(1e-5));
    }
    const json far = cli("ik " + demo + " --arm arm1 --pose 9000 1000 900 180 0 0").parsed();
    CHECK(far["solutions"].empty());
    CHECK(far["reached"] == false);
    const json same = cli("ik " + demo + " --arm arm1 --frame infeed_belt --pose 750 0 900 180 0 30").parsed();
    CHECK(same["solutions"] == r["solutions"]);
}

TEST_CASE(
    "edits from stdin are made and saved, what is refused is said; CAD files come in; the base field and the "
    "placements go out") {
    const std::string folder = std::filesystem::temp_directory_path() / ("escarp-cli-" + std::to_string(::getpid()));
    std::filesystem::create_directories(folder);
    const std::string file = folder + "/cell.escarp";
    std::filesystem::copy_file(demo, file, std::filesystem::copy_options::overwrite_existing);
    std::ofstream(folder + "/edits")
        << R"({"name": "Shift", "operations": [{"at": "/devices/tester/placement/x_mm", "value": 2123}]})"
        << "\n"
        << R"({"operations": [{"at": "/devices/tester/length_mm", "value": "long"}]})"
        << "\n"
        << R"({"save": true})"
        << "\n";
    const Output edited = cli("edit " + file + " < " + folder + "/edits");
    CHECK(edited.code == 2);  // one of them was refused
    CHECK(edited.text.find("\"refused\"") != std::string::npos);
    CHECK(edited.text.find("\"saved\":true") != std::string::npos);
    CHECK(cli("placements " + file).text.find("tester,Tester,fixture,floor,2123,") != std::string::npos);
    CHECK(cli("recover " + file).text.find("nothing was left") != std::string::npos);
    std::ofstream(folder + "/wedge.obj")
        << "v 0 0 0\nv 100 0 0\nv 0 100 0\nv 0 0 100\nf 1 3 2\nf 1 2 4\nf 2 3 4\nf 3 1 4\n";
    const json wedge = cli("import " + file + " " + folder + "/wedge.obj --as part-type --unit mm --json").parsed();
    CHECK(wedge["volume_cm3"].get<double>() == Approx(166.667).epsilon(1e-3));
    CHECK(cli("validate " + file).code == 0);
    CHECK(cli("import " + file + " " + file).code == 2);
    const json field = cli("base-field " + demo + " --arm arm1 --json").parsed();
    CHECK(field["poses"] == 3);
    CHECK(field["best"]["margin_mm"].get<double>() > 100);
    CHECK(field["x_y_margin_mm"].size() == field["good_cells"]);
    CHECK(cli("draw " + demo + " --out " + folder + "/a.svg").code == 0);
    CHECK(cli("draw " + demo + " --out " + folder + "/a.svg --scale 1").code == 2);
    std::filesystem::remove_all(folder);
}

TEST_CASE("a study by command: asked, killed and asked again, in shards, shown; bad ones are refused with the place") {
    namespace fs = std::filesystem;
    const fs::path room = fs::temp_directory_path() / ("escarp-study-" + std::to_string(::getpid()));
    fs::create_directories(room);
    const auto in = [&](const std::string& name) { return (room / name).string(); };
    fs::copy_file(demo, in("cell.escarp"), fs::copy_options::overwrite_existing);
    std::ofstream(in("q.json")) << R"({"asks": "sweep", "look_at": ["cycle_s", "inside_s"], "repetitions": 4,
        "vary": [{"at": "/devices/marker/process_s", "from": 1.5, "to": 3, "steps": 5}]})";
    const std::string cell = in("cell.escarp") + " --variant D --ask " + in("q.json") + " --json";
    const auto without_counts = [](const Output& o) {
        json j = o.parsed();
        j.erase("runs"), j.erase("kept_runs");
        return j;
    };
    const Output whole = cli("study " + cell + " --out " + in("one") + " --csv " + in("t.csv"));
    REQUIRE(whole.code == 0);
    CHECK(whole.parsed()["points"].size() == 5);
    CHECK(whole.parsed()["points"][0]["figures"]["cycle_s"]["count"] == 4);
    CHECK(fs::file_size(in("t.csv")) > 100);
    // Killed again and again at the same instant of its own clock or another: it goes on from what it kept.
    for (const char* limit : {"0.15", "0.3", "0.45", "0.6", "0.2"})
        (void)std::system(("timeout -s KILL " + std::string(limit) + " " + ESCARP_CLI + " study " + cell + " --out " +
                           in("killed") + " >/dev/null 2>&1")
                              .c_str());
    const Output after = cli("study " + cell + " --out " + in("killed"));
    CHECK(without_counts(after) == without_counts(whole));
    CHECK(cli("study " + cell + " --out " + in("killed")).parsed()["runs"] == 0);
    CHECK(cli("study " + cell + " --resume --out " + in("killed")).code == 0);
    CHECK(cli("study " + cell + " --resume --out " + in("nothing yet")).code == 2);
    // Two shards.
    CHECK(cli("study " + cell + " --shard 1/2 --out " + in("a")).code == 0);
    CHECK(cli("study merge " + in("a") + " --out " + in("both")).code == 0);
    CHECK(cli("study show " + cell + " --out " + in("both")).code == 1);
    CHECK(cli("study " + cell + " --shard 2/2 --out " + in("b")).code == 0);
    CHECK(cli("study merge " + in("b") + " " + in("a") + " --out " + in("both")).code == 0);
    CHECK(without_counts(cli("study show " + cell + " --out " + in("both"))) == without_counts(whole));
    // What cannot be asked.
    for (const std::string bad : {" --shard 3/2", " --shard x", " --name nobody"})
        CHECK(cli("study " + in("cell.escarp") + " --variant D" +
                  (bad.find("name") == std::string::npos ? " --ask " + in("q.json") : "") + bad + " --out " + in("no"))
                  .code == 2);
    CHECK(cli("study " + cell + " --out " + in("q.json")).code == 2);  // no database
    CHECK(cli("study merge " + in("q.json") + " --out " + in("both")).code == 2);
    CHECK(cli("study").code == 2);
    std::ofstream(in("bad.json")) << R"({"asks": "dance", "vary": [{"at": "x", "from": 2, "to": 1}], "colour": 1})";
    CHECK(cli("study " + in("cell.escarp") + " --ask " + in("bad.json")).code == 2);
    CHECK(cli("study show " + in("cell.escarp") + " --name stand --out " + in("never")).code == 2);
    CHECK_FALSE(fs::exists(in("never")));
    fs::remove_all(room);
}

TEST_CASE("compare with replications, replicate until a width, gains and report by command") {
    const json c = cli("compare " + demo + " --replications 10 --json").parsed();
    CHECK(c["variants"].size() == 4);
    CHECK(c["ranking"][0]["variant"] != "A");
    CHECK(c["words"].get<std::string>().find("In line by 0.67") != std::string::npos);
    const json r = cli("replicate " + demo + " --variant D --until 1 --json").parsed();
    CHECK(r["width_reached"] == true);
    CHECK(r["figures"]["cycle_s"]["high"].get<double>() - r["figures"]["cycle_s"]["low"].get<double>() <
          0.02 * r["figures"]["cycle_s"]["mean"].get<double>());
    CHECK(cli("replicate " + demo + " --variant D --until 0.001 --replications 10 --strict").code == 1);
    CHECK(cli("replicate " + demo + " --figures nonsense").code == 2);
    CHECK(cli("gains " + demo + " --json").parsed()["gains"].size() > 10);
    const std::string file =
        (std::filesystem::temp_directory_path() / ("escarp-report-" + std::to_string(::getpid()) + ".html")).string();
    CHECK(cli("report " + demo + " --replications 5 --out " + file).code == 0);
    CHECK(std::filesystem::file_size(file) > 10000);
    std::filesystem::remove(file);
    CHECK(cli("report " + demo + " --out /tmp/x.doc").code == 2);
}
