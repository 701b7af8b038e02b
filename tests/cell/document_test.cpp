#include <catch2/catch.hpp>
#include <csignal>
#include <filesystem>
#include <fstream>
#include <sys/resource.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cell/document/earlier.h>
#include <cell/text/names.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/random.h"

using namespace escarp;
using namespace escarp::cell;
using escarp::tests::Draw;

using escarp::tests::Folder;

namespace {

std::string first_problem(const std::string& text) {
    try {
        const Document d = Document::parse(text);
        for (const VariantInfo& v : d.variants()) tests::read(d.resolved(v.id));
    } catch (const InputError& e) {
        return e.problems().front().where + " | " + e.problems().front().message;
    }
    return "";
}

/// Random edits of a tree whose lists hold groups with ids.
json random_change(json tree, Draw& draw, int& fresh) {
    auto& devices = tree["devices"];
    switch (draw.whole(0, 5)) {
        case 0:
            if (devices.size() > 1)
                devices.erase(static_cast<std::size_t>(draw.whole(0, static_cast<int>(devices.size()) - 1)));
            break;
        case 1:
            devices.insert(devices.begin() + draw.whole(0, static_cast<int>(devices.size())),
                json{{"id", "new" + std::to_string(++fresh)}, {"x", draw.in(0, 1)}, {"task", json::array()}});
            break;
        case 2: std::swap(devices[0], devices[devices.size() - 1]); break;
        case 3: devices[0]["x"] = draw.in(0, 1); break;
        case 4: devices[0]["inner"]["deep"][std::to_string(draw.whole(0, 3))] = draw.whole(0, 9); break;
        case 5: tree.erase("name"), tree["list"] = json::array({1, draw.whole(0, 5)}); break;
    }
    return tree;
}

}  // namespace

TEST_CASE("the difference of two trees, applied to the first, gives the second") {
    Draw draw(71);
    for (int i = 0; i < 2000; ++i) {
        json from = {{"name", "x"}, {"devices", json::array()}};
        for (int k = 0; k < 5; ++k)
            from["devices"].push_back({{"id", "d" + std::to_string(k)}, {"x", k},
                {"task", json::array({json{{"id", "s1"}}, json{{"id", "s2"}}})}});
        int fresh = 0;
        json to = from;
        for (int k = draw.whole(1, 6); k > 0; --k) to = random_change(to, draw, fresh);
        json changed = from;
        for (const Operation& op : difference(from, to)) cell::apply(changed, Operation::from_json(op.to_json(), ""));
        REQUIRE(nlohmann::json(changed) == nlohmann::json(to));  // order of keys aside
    }
}

TEST_CASE("a change of the baseline reaches every variant that does not override it") {
    const Document d = tests::demo();
    const Edit move{"", {Operation::set("/devices/pedestal1/placement/x_mm", 1490.0)}};
    const Document after = d.edited("A", move);
    for (const char* v : {"A", "B", "C"})
        CHECK((*find(after.resolved(v), "/devices/pedestal1/placement/x_mm")) == 1490.0);
    const json kept = *find(d.resolved("B"), "/devices/pedestal2/placement/x_mm");
    const Document base_moved = d.edited("A", {"", {Operation::set("/devices/pedestal2/placement/x_mm", 2711.0)}});
    CHECK(*find(base_moved.resolved("A"), "/devices/pedestal2/placement/x_mm") == 2711.0);
    CHECK(*find(base_moved.resolved("B"), "/devices/pedestal2/placement/x_mm") == kept);
}

TEST_CASE("an edit in a variant stays in it, is listed, and goes when it is put back") {
    const Document d = tests::demo();
    const std::string place = "/devices/pedestal1/placement/x_mm";
    const std::size_t before = d.differences("B").size();
    const Document after = d.edited("B", {"", {Operation::set(place, 1480.0)}});
    CHECK(*find(after.resolved("A"), place) == *find(d.resolved("A"), place));
    CHECK(*find(after.resolved("B"), place) == 1480.0);
    CHECK(after.differences("B").size() == before + 1);
    const Document back = after.edited("B", {"", {Operation::set(place, *find(d.resolved("A"), place))}});
    CHECK(back.differences("B").size() == before);
}

TEST_CASE("choosing another baseline changes no variant's cell") {
    const Document d = tests::demo();
    for (const char* base : {"B", "C"}) {
        const Document turned = d.with_baseline(base);
        CHECK(turned.baseline() == base);
        for (const char* v : {"A", "B", "C"})
            CHECK(nlohmann::json(turned.resolved(v)) == nlohmann::json(d.resolved(v)));
        CHECK(turned.differences(base).empty());
        const Document back = turned.with_baseline("A");
        for (const char* v : {"A", "B", "C"}) CHECK(nlohmann::json(back.resolved(v)) == nlohmann::json(d.resolved(v)));
    }
    CHECK_THROWS_AS(d.without_variant("A"), InputError);
    CHECK(d.without_variant("B").variants().size() == 3);
    CHECK(d.with_variant("E", "Another", "B").differences("E").size() == d.differences("B").size());
    CHECK(d.free_variant_id() == "E");
}

TEST_CASE("a difference whose target is gone is told, not fatal") {
    const Document d = tests::demo().edited("A", remove_device(simulation::layout(tests::demo(), "A"), "cabinet"));
    std::vector<std::string> lost;
    d.resolved("B", &lost);
    CHECK(!lost.empty());
    CHECK(lost.front().find("cabinet") != std::string::npos);
}

TEST_CASE("a file comes back bit for bit, unknown keys and all") {
    const Folder folder;
    const std::string file = (folder.path / "a.escarp").string();
    json tree = tests::demo().tree();
    tree["a_later_invention"] = {{"x", 0.1}};
    tree["devices"][0]["another"] = "kept";
    const Document d = Document::parse(tree.dump());
    d.save(file);
    const Document again = Document::load(file);
    CHECK(again == d);
    CHECK(again.text() == d.text());
    again.save(file);
    CHECK(Document::load(file).text() == d.text());
    const Document edited = d.edited("B", {"", {Operation::set("/devices/tester/process_s", 6.6)}});
    CHECK(edited.tree()["a_later_invention"]["x"] == 0.1);
    CHECK(edited.tree()["devices"][0]["another"] == "kept");
}

TEST_CASE("a save that fails leaves the old file whole and nothing beside it") {
    const Folder folder;
    const std::string file = (folder.path / "a.escarp").string();
    tests::demo().save(file);
    const std::string before = Document::load(file).text();
    CHECK_THROWS_AS(tests::demo().save((folder.path / "no/such/folder.escarp").string()), InputError);
    // No file may be larger than 4 kB: the new one cannot be written to its end.
    std::signal(SIGXFSZ, SIG_IGN);
    rlimit usual{}, small{};
    ::getrlimit(RLIMIT_FSIZE, &usual);
    small = usual, small.rlim_cur = 4096;
    ::setrlimit(RLIMIT_FSIZE, &small);
    CHECK_THROWS_AS(tests::demo().renamed_variant("A", "x").save(file), InputError);
    ::setrlimit(RLIMIT_FSIZE, &usual);
    CHECK(Document::load(file).text() == before);
    CHECK(std::distance(std::filesystem::directory_iterator(folder.path), {}) == 1);
    ::chmod(file.c_str(), 0600);
    tests::demo().save(file);
    struct stat info {};
    ::stat(file.c_str(), &info);
    CHECK((info.st_mode & 0777) == 0600);
    int entries = 0;
    for (const auto& entry : std::filesystem::directory_iterator(folder.path)) entries += !entry.path().empty();
    CHECK(entries == 1);
}

TEST_CASE("errors name the place and what was expected") {
    CHECK(first_problem("{\n  \"escarp\": 1,\n  \"devices\": [}\n").find("line 3, column 15") == 0);
    CHECK(first_problem("[]").find("escarp |") == 0);
    CHECK(first_problem(R"({"escarp": 99, "devices": []})").find("newer Escarp") != std::string::npos);
    CHECK(first_problem(R"({"escarp": 1, "devices": 4})").find("devices |") == 0);
    CHECK(first_problem(
              R"({"escarp": 1, "devices": [{"id": "b", "name": "B", "kind": "conveyor", "length_mm": "long",
            "width_mm": 200, "height_mm": 800, "speed_mm_s": 100, "gap_mm": 1}]})")
              .find("devices/b/length_mm | Found \"long\"; a number from 0") == 0);
    CHECK(first_problem(R"({"escarp": 1, "devices": [{"id": "b", "name": "B", "kind": "teleporter"}]})")
              .find("devices/b/kind") == 0);
    CHECK(first_problem(
              R"({"escarp": 1, "devices": [{"id": "a", "name": "A", "kind": "structure", "length_mm": 100,
            "height_mm": 100}, {"id": "b", "name": "A", "kind": "structure", "length_mm": 100,
            "height_mm": 100}]})")
              .find("already named") != std::string::npos);
    CHECK(first_problem(
              R"({"escarp": 1, "devices": [{"id": "a", "name": "A", "kind": "structure", "length_mm": 100,
            "height_mm": 100, "host": "b"}, {"id": "b", "name": "B", "kind": "structure", "length_mm": 100,
            "height_mm": 100, "host": "a"}]})")
              .find("stand on itself") != std::string::npos);
    json tree = tests::demo().tree();
    tree["devices"][4]["task"][0]["signal"] = "b1.mad";
    CHECK(first_problem(tree.dump()).find("has no signal \"mad\"; it has made") != std::string::npos);
    CHECK(first_problem(std::string(200, '[')).find("nested") != std::string::npos);
    CHECK_THROWS_AS(Document::load("/no/such/file.escarp"), InputError);
    CHECK_THROWS_AS(Document::load("/"), InputError);
}

TEST_CASE("no input of any shape crashes: 1500 mangled files are read or refused") {
    const std::string text = tests::demo().text();
    const std::vector<json> junk = {nullptr, -1, 1e308, "", "x", json::array(), json::object(), true, 0.0,
        json::array({1, "a"}), std::string(3000, 'z')};
    Draw draw(72);
    inspection::Cache cache;
    int fine = 0, refused = 0;
    for (int i = 0; i < 1500; ++i) {
        std::string mangled = text;
        if (i % 3 == 0) {  // bytes
            for (int k = draw.whole(1, 6); k > 0; --k)
                mangled[draw.whole(0, static_cast<int>(mangled.size()) - 1)] = static_cast<char>(draw.whole(0, 255));
            if (i % 2) mangled.resize(static_cast<std::size_t>(draw.whole(0, static_cast<int>(mangled.size()))));
        } else {  // values of the wrong kind or size anywhere in the tree
            json tree = json::parse(text);
            json flat = tree.flatten();
            auto item = flat.begin();
            std::advance(item, draw.whole(0, static_cast<int>(flat.size()) - 1));
            json::json_pointer at(item.key());
            for (int up = draw.whole(0, 2); up > 0 && !at.parent_pointer().empty(); --up) at = at.parent_pointer();
            tree[at] = junk[draw.whole(0, static_cast<int>(junk.size()) - 1)];
            mangled = tree.dump();
        }
        try {
            const Document d = Document::parse(mangled);
            for (const VariantInfo& v : d.variants()) {
                study::EvaluateOptions options;
                options.run.horizon_s = 20;
                study::evaluate(simulation::layout(d, v.id), cache, options);
            }
            ++fine;
        } catch (const InputError& e) {
            REQUIRE(!e.problems().empty());
            REQUIRE(!e.problems().front().message.empty());
            ++refused;
        }
    }
    CHECK(fine > 40);
    CHECK(refused > 300);
}

TEST_CASE("ids and names are free when they say so") {
    const json tree = tests::demo().tree();
    CHECK(free_id(tree, "Arm 3") == "arm_3");
    CHECK(free_id(tree, "arm1") == "arm1_2");
    CHECK(free_name(tree, "Arm 1") == "Arm 3");
    CHECK(free_name(tree, "Table") == "Table");
    // A device that only a variant has counts, too: what the baseline gets comes to that variant.
    Document d = Document::parse(R"({"escarp": 1, "devices": [], "baseline": "A", "variants": [{"id": "A", "name": "A"},
        {"id": "B", "name": "B", "differences": [{"at": "/devices", "add": {"id": "c", "name": "Column",
        "kind": "structure", "shape": "column", "length_mm": 100, "height_mm": 100}, "after": "*"}]}]})");
    const Offering column{"structure", "", "Column", {{"shape", "column"}}};
    d = d.edited("A", add_device(simulation::layout(d, "A"), column, "", nullptr));
    CHECK(simulation::layout(d, "A").cell().devices.front().name == "Column 2");
    CHECK(simulation::layout(d, "B").cell().devices.size() == 2);
    CHECK(valid_id("a-b_1"));
    CHECK(!valid_id("a b"));
    CHECK(!valid_id(""));
}

TEST_CASE("a variant's value is put back, pushed to the baseline, or pushed to all") {
    Document d = Document::load(ESCARP_DEMO);
    const std::string at = "/devices/tester/process_s", base = d.baseline();
    const auto value = [&](const Document& of, const std::string& v) {
        return find(of.resolved(v), at)->get<double>();
    };
    const double was = value(d, base);
    d = d.edited("B", {"x", {Operation::set(at, was + 1)}}).edited("C", {"x", {Operation::set(at, was + 2)}});
    const Document back = d.put_back("B", at);
    CHECK(value(back, "B") == was);
    CHECK(value(back, "C") == was + 2);
    const Document pushed = d.pushed_to_baseline("B", at);
    CHECK(value(pushed, base) == was + 1);
    CHECK(value(pushed, "B") == was + 1);
    CHECK(value(pushed, "C") == was + 2);  // keeps what it alters itself
    for (const Operation& op : pushed.differences("B")) CHECK(op.at != at);
    const Document all = d.pushed_to_all("C", at);
    for (const char* v : {"A", "B", "C"}) CHECK(value(all, v) == was + 2);
}

TEST_CASE("an earlier document is had again exactly from the later one, whatever changed in between") {
    Draw draw(17);
    Document now = tests::demo();
    std::vector<std::pair<Document, Earlier>> steps;
    for (int i = 0; i < 60; ++i) {
        const auto variants = now.variants();
        const std::string variant = variants[draw.whole(0, static_cast<int>(variants.size()) - 1)].id;
        Document next = now;
        switch (draw.whole(0, 4)) {
            case 0:
                next = now.edited(variant, {"", {Operation::set("/devices/tester/placement/x_mm", draw.in(0, 3000))}});
                break;
            case 1: next = now.renamed_variant(variant, "Name " + std::to_string(i)); break;
            case 2: next = now.with_variant(now.free_variant_id(), "More", variant); break;
            case 3: next = now.with_baseline(variant); break;
            default: next = now.edited(now.baseline(), {"", {Operation::set("/takt_s", draw.in(1, 20))}});
        }
        steps.emplace_back(now, Earlier(now, next));
        now = next;
    }
    for (auto step = steps.rbegin(); step != steps.rend(); ++step) {
        now = step->second.from(now);
        REQUIRE(now == step->first);
        REQUIRE(now.text() == step->first.text());
    }
}

TEST_CASE("a baseline without variants is refused with its place, whatever it is") {
    for (const char* baseline : {"[1]", "5", "{}", "\"B\""}) {
        const std::string text = std::string(R"({"escarp": 1, "devices": [], "baseline": )") + baseline + "}";
        try {
            cell::Document::parse(text);
            FAIL(baseline);
        } catch (const cell::InputError& e) {
            CHECK(e.problems().front().where == "baseline");
        }
    }
    CHECK(cell::Document::parse(R"({"escarp": 1, "devices": [], "baseline": "A"})").baseline() == "A");
}
