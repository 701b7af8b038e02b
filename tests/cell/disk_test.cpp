// Files and what may be in their place.
#include <catch2/catch.hpp>
#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cell/document/document.h>
#include <cell/text/disk.h>
#include <cell/text/json.h>

#include "support/cells.h"
#include "support/folder.h"

using namespace escarp;
using namespace escarp::cell;
using escarp::tests::Folder;

namespace {

std::string why(const std::function<void()>& act) {
    try {
        act();
        return {};
    } catch (const InputError& e) {
        return e.problems().front().message;
    }
}

mode_t mode_of(const std::string& file) {
    struct stat s {};
    REQUIRE(::stat(file.c_str(), &s) == 0);
    return s.st_mode & 07777;
}

}  // namespace

TEST_CASE("only regular files are read, and at once: no folder, pipe or device, nothing too large") {
    const Folder folder;
    CHECK(read_file(folder.write("a", "some bytes"), 100) == "some bytes");
    CHECK(read_file(folder.write("empty", ""), 100).empty());
    CHECK(why([&] { read_file(folder / "a", 9); }).find("larger than") != std::string::npos);
    CHECK(why([&] { read_file(folder / "missing", 9); }).find("No such file") != std::string::npos);
    CHECK(why([&] { read_file(folder.path.string(), 9); }).find("folder") != std::string::npos);
    REQUIRE(::mkfifo((folder / "pipe").c_str(), 0600) == 0);
    for (const std::string& odd : {folder / "pipe", std::string("/dev/zero"), std::string("/dev/null")}) {
        CHECK(why([&] { read_file(odd, 100); }).find("pipe or a device") != std::string::npos);
        CHECK(why([&] { write_file(odd, "x"); }).find("pipe or a device") != std::string::npos);
        CHECK_THROWS_AS(Document::load(odd), InputError);
    }
}

TEST_CASE(
    "a file that is written keeps its mode, its links and whatever else is known of it; nothing is left beside it") {
    const Folder folder;
    const std::string file = folder.write("a", "old");
    REQUIRE(::chmod(file.c_str(), 0664) == 0);
    write_file(file, "new");
    CHECK(folder.read("a") == "new");
    CHECK(mode_of(file) == 0664);
    if (::getuid() == 0) {  // another owner is kept where the system allows it
        REQUIRE(::chown(file.c_str(), 12345, 23456) == 0);
        write_file(file, "newer");
        struct stat s {};
        ::stat(file.c_str(), &s);
        CHECK(s.st_uid == 12345);
        CHECK(s.st_gid == 23456);
        CHECK(mode_of(file) == 0664);
    }
    REQUIRE(::symlink("a", (folder / "link").c_str()) == 0);
    write_file(folder / "link", "through the link");
    CHECK(folder.read("a") == "through the link");
    CHECK(std::filesystem::is_symlink(folder / "link"));
    REQUIRE(::link(file.c_str(), (folder / "twin").c_str()) == 0);
    write_file(folder / "twin", "both");
    CHECK(folder.read("a") == "both");
    CHECK(std::filesystem::hard_link_count(file) == 2);
    write_file(folder / "fresh", "made");
    CHECK(folder.read("fresh") == "made");
    CHECK(folder.count() == 4);
    CHECK(!why([&] { write_file(folder / "no/such/folder", "x"); }).empty());
    CHECK(!read_only(file));
    REQUIRE(::chmod(file.c_str(), 0444) == 0);
    CHECK(read_only(file));
    CHECK(!read_only(folder / "missing"));
}

TEST_CASE("what was left of a write that was killed is removed, and nothing else") {
    const Folder folder;
    folder.write("a.escarp", "{}");
    const std::string half = "{\n  \"escarp\": 1,\n  \"na";
    folder.write(".a.escarp.0123456789abcdef.unfinished", half);
    folder.write(".a.escarp.00000000000000ff.unfinished", "");
    // Other names, and the name with something else in it, are somebody's own.
    for (const char* name : {"a.escarp.new-123", ".a.escarp.0123.unfinished", ".b.escarp.0123456789abcdef.unfinished",
             ".a.escarp.0123456789abcdeg.unfinished"})
        folder.write(name, half);
    folder.write(".a.escarp.1111111111111111.unfinished", "my notes");
    remove_left_overs(folder / "a.escarp");
    CHECK(folder.count() == 6);
    CHECK(!std::filesystem::exists(folder / ".a.escarp.0123456789abcdef.unfinished"));
    CHECK(std::filesystem::exists(folder / ".a.escarp.1111111111111111.unfinished"));
}

TEST_CASE("what is written first has a name that nobody can foresee, and is never written through a link") {
    const Folder folder;
    folder.write("a", "old");
    std::string one, other;
    ::close(open_fresh(folder / "a", one));
    ::close(open_fresh(folder / "a", other));
    CHECK(one != other);
    CHECK(std::filesystem::path(one).parent_path() == std::filesystem::path(folder / "a").parent_path());
    // A link under such a name is not followed: it is exclusive.
    folder.write("target", "precious");
    for (int i = 0; i < 20; ++i) write_file(folder / "a", "new " + std::to_string(i));
    CHECK(folder.read("target") == "precious");
    CHECK(folder.read("a") == "new 19");
}

TEST_CASE("what is handed on goes over no cell, no results, nothing that is read, and only under its endings") {
    const Folder folder;
    folder.write("cell.escarp", "{\"escarp\": 1, \"devices\": []}");
    folder.write("cell.csv", "\n {\"name\": \"x\", \"escarp\": 1}");
    folder.write("old.csv", "a,b\n");
    folder.write("found.results", std::string("SQLite format 3\0 and so on", 26));
    folder.write("in.stl", "solid");
    std::filesystem::create_symlink("in.stl", folder / "link.stl");
    const auto refused = [&](const std::string& name, std::vector<std::string> endings,
                             std::vector<std::string> reads = {}) {
        return why([&] { check_target(folder / name, endings, reads); });
    };
    CHECK(refused("cell.escarp", {}).find("a cell") != std::string::npos);
    CHECK(refused("cell.csv", {"csv"}).find("a cell") != std::string::npos);
    CHECK(refused("found.results", {}).find("results") != std::string::npos);
    CHECK(refused("new.txt", {"csv", "pdf"}).find("*.csv or *.pdf") != std::string::npos);
    CHECK(refused("link.stl", {"stl"}, {folder / "in.stl"}).find("is read") != std::string::npos);
    CHECK_FALSE(refused(".", {}).empty());
    CHECK(refused("old.csv", {"csv"}).empty());
    CHECK(refused("NEW.CSV", {"csv"}, {folder / "in.stl"}).empty());
}

TEST_CASE("names, texts and numbers have a greatest size, and what is beyond is told with its place") {
    const auto tree = [](const json& more) {
        json t = {{"escarp", 1}, {"devices", {{{"id", "d"}, {"kind", "solid"}}}}};
        t["devices"][0].update(more);
        return t;
    };
    CHECK_NOTHROW(check_bounds(tree({{"name", std::string(200, 'x')}, {"note", std::string(100000, 'x')}})));
    const auto wrong = [&](const json& more) -> std::string {
        try {
            check_bounds(tree(more));
            return {};
        } catch (const InputError& e) {
            return e.problems().front().where + ": " + e.problems().front().message;
        }
    };
    CHECK(wrong({{"name", std::string(201, 'x')}}).find("devices/d/name") != std::string::npos);
    CHECK(wrong({{"note", std::string(100001, 'x')}}).find("devices/d/note") != std::string::npos);
    CHECK(wrong({{"at", {1, 1e13}}}).find("devices/d/at/1") != std::string::npos);
    CHECK(wrong({{"x_mm", 1e308}}).find("1e12") != std::string::npos);
    CHECK_NOTHROW(check_bounds(tree({{"surface", std::string(1'000'000, 'x')}})));
    CHECK_THROWS_AS(Document::parse(tree({{"name", std::string(5'000'000, 'x')}}).dump()), InputError);
}

TEST_CASE("JSON is bounded before anything is made of it, and what is said of it can be read") {
    const auto nested = [](std::size_t depth) { return std::string(depth, '[') + "1" + std::string(depth, ']'); };
    CHECK_NOTHROW(parse_json(nested(64)));
    CHECK(why([&] { parse_json(nested(65)); }).find("nested") != std::string::npos);
    CHECK(why([&] { parse_json(nested(2'000'000)); }).find("nested") != std::string::npos);
    CHECK_NOTHROW(check_bounds(parse_json(nested(64))));
    json deeper = json::array({parse_json(nested(64))});
    CHECK_THROWS_AS(check_bounds(deeper), InputError);
    std::string wide = "{\"k0\": 0";
    for (int i = 1; i <= 5000; ++i) wide += ", \"k" + std::to_string(i) + "\": 0";
    CHECK(why([&] { parse_json(wide + "}"); }).find("keys") != std::string::npos);
    const std::string message = why([&] { parse_json("{\"a\": \"" + std::string(100'000, 'x')); });
    CHECK(message.find("not valid JSON") != std::string::npos);
    CHECK(message.size() < 1000);
    json demo = tests::demo().tree();
    demo["devices"][0]["id"] = std::string(100'000, 'x');
    try {
        tests::read(demo);
        FAIL("an id of 100,000 letters was taken");
    } catch (const InputError& e) {
        for (const Problem& p : e.problems()) CHECK(p.where.size() + p.message.size() < 1500);
        CHECK(std::string(e.what()).size() < 1500);
    }
}

TEST_CASE("an edit that would leave no cell file is refused, and the document stays what it was") {
    const Document d = tests::demo();
    json deep = 1;
    for (int i = 0; i < 70; ++i) deep = json::array({deep});
    const std::vector<Operation> bad = {Operation::remove("/escarp"), Operation::set("/escarp", 2),
        Operation::set("/baseline", "x"), Operation::set("/baseline", nullptr), Operation::set("/views", 5),
        Operation::remove("/devices"), Operation::set("/devices", 1), Operation::set("/variants", json::array()),
        Operation::remove("/variants/A/id"), Operation::remove("/variants/B/name"),
        Operation::set("/variants/B/differences", 5), Operation::set("/variants/B/id", "A"),
        Operation::add("/variants/B/differences", json{{"at", ""}, {"value", 1}}), Operation::set("/name", deep)};
    for (const Operation& op : bad)
        for (const VariantInfo& v : d.variants()) {
            INFO(op.at << " in " << v.id);
            try {
                const Document next = d.edited(v.id, {"", {op}});
                CHECK_NOTHROW(Document::parse(next.text()));  // what is taken can be opened again
            } catch (const InputError& e) {
                CHECK(!e.problems().front().message.empty());
            }
            CHECK(d == tests::demo());
        }
    for (const Operation& op : bad) CHECK_THROWS_AS(d.edited(d.baseline(), {"", {op}}), InputError);
}

TEST_CASE("cells that brought the program down once are read or refused with their place") {
    for (const auto& [name, place] : {std::pair{"crash-empty-kind", "devices/a/kind"},
             {"mesh-link-null", "meshes/m/link"}, {"mesh-link-file-null", "meshes/m/link/file"},
             {"mesh-surface-null", "meshes/m/surface"}, {"view-name-0", "views/v/name"}}) {
        const Document d = tests::past_case(name);
        try {
            tests::read(d.resolved(d.baseline()));
            FAIL(name << " was taken");
        } catch (const InputError& e) {
            CHECK(e.problems().front().where == place);
        }
    }
}
