// Files and what may be in their place.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cell/disk.h>
#include <cell/document.h>
#include <cell/json.h>

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
    for (const char* name : {"a.escarp.new-123", "a.escarp.new-4567"}) folder.write(name, "half");
    for (const char* name : {"a.escarp.new-", "a.escarp.new-12x", "b.escarp.new-123", "a.escarp.newest"})
        folder.write(name, "mine");
    remove_left_overs(folder / "a.escarp");
    CHECK(folder.count() == 5);
    CHECK(!std::filesystem::exists(folder / "a.escarp.new-123"));
    CHECK(std::filesystem::exists(folder / "b.escarp.new-123"));
}

TEST_CASE("JSON is bounded before anything is made of it, and what is said of it can be read") {
    const auto nested = [](std::size_t depth) { return std::string(depth, '[') + "1" + std::string(depth, ']'); };
    CHECK_NOTHROW(parse_json(nested(64)));
    CHECK(why([&] { parse_json(nested(65)); }).find("nested") != std::string::npos);
    CHECK(why([&] { parse_json(nested(2'000'000)); }).find("nested") != std::string::npos);
    CHECK_NOTHROW(check_depth(parse_json(nested(64))));
    json deeper = json::array({parse_json(nested(64))});
    CHECK_THROWS_AS(check_depth(deeper), InputError);
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
