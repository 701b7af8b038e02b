// What the documents for whoever works on this show and name is there: examples are quoted from tests that run, and
// every room of the code is told of.

#include <catch2/catch.hpp>
#include <filesystem>
#include <fstream>
#include <regex>
#include <set>
#include <sstream>

using std::filesystem::path;

namespace {

const path source = ESCARP_SOURCE;

std::string text_of(const path& file) {
    std::ifstream in(source / file);
    REQUIRE(in);
    std::stringstream all;
    all << in.rdbuf();
    return all.str();
}

/// Between "// [example: NAME]" and "// [end]".
std::string example(const path& file, const std::string& name) {
    const std::string all = text_of(file), mark = "// [example: " + name + "]\n";
    const std::size_t from = all.find(mark);
    INFO(file << ": " << name);
    REQUIRE(from != std::string::npos);
    return all.substr(from + mark.size(), all.find("// [end]", from) - from - mark.size());
}

std::vector<path> code_files() {
    std::vector<path> all;
    for (const auto& one : std::filesystem::recursive_directory_iterator(source / "src"))
        if (one.path().extension() == ".h" || one.path().extension() == ".cpp") all.push_back(one.path());
    return all;
}

}  // namespace

TEST_CASE("the examples of CONTRIBUTING.md are those that the tests compile and run") {
    const std::string text = text_of("CONTRIBUTING.md");
    const std::regex quoted("<!-- (tests/[a-z_/]+\\.cpp): ([a-z ]+) -->\n\n```cpp\n([^`]*)```");
    int count = 0;
    for (std::sregex_iterator i(text.begin(), text.end(), quoted), none; i != none; ++i, ++count)
        CHECK((*i)[3].str() == example((*i)[1].str(), (*i)[2].str()));
    CHECK(count == 6);
}

TEST_CASE("every folder with code is told of in docs/architecture.md, and none has more than 25 pairs of files") {
    const std::string text = text_of("docs/architecture.md");
    std::map<path, std::set<std::string>> rooms;
    for (const path& file : code_files()) rooms[file.parent_path()].insert(file.stem());
    for (const auto& [room, names] : rooms) {
        const std::string name = room.lexically_relative(source);
        INFO(name);
        CHECK(text.find("`" + name + "`") != std::string::npos);
        CHECK(names.size() <= 25);
    }
}

TEST_CASE("rooms of a layer include each other in one direction only") {
    const std::regex included("#include <([a-z_/]+)/[a-z_0-9]+\\.h>");
    std::map<std::string, std::set<std::string>> uses;
    for (const path& file : code_files()) {
        const std::string room = file.parent_path().lexically_relative(source / "src"), text = text_of(file);
        for (std::sregex_iterator i(text.begin(), text.end(), included), none; i != none; ++i)
            if (const std::string other = (*i)[1]; other != room && std::filesystem::exists(source / "src" / other))
                uses[room].insert(other);
    }
    REQUIRE(uses.size() > 20);
    // What registers the kinds, checks and questions lies above them, and what they derive from does, too.
    const auto same_folder = [](const std::string& a, const std::string& b) { return b.starts_with(a + "/"); };
    std::set<std::string> done;
    std::vector<std::string> way;
    const std::function<void(const std::string&)> follow = [&](const std::string& room) {
        if (std::find(way.begin(), way.end(), room) != way.end()) {
            std::string circle;
            for (const std::string& one : way) circle += one + " > ";
            FAIL_CHECK(circle << room);
            return;
        }
        if (!done.insert(room).second) return;
        way.push_back(room);
        for (const std::string& next : uses[room])
            if (!same_folder(room, next) && !same_folder(next, room)) follow(next);
        way.pop_back();
    };
    for (const auto& [room, others] : std::map(uses)) follow(room);
}

TEST_CASE("lines of documents have at most 120 columns") {
    for (const char* file :
        {"README.md", "CONTRIBUTING.md", "docs/architecture.md", "docs/model.md", "docs/words.md", "docs/methods.md",
            "docs/file-format.md", "docs/command-line.md", "docs/link.md", "src/desktop/dialogs/manual.md"}) {
        std::istringstream lines(text_of(file));
        int n = 0;
        bool code = false;
        for (std::string line; std::getline(lines, line);) {
            ++n;
            if (line.starts_with("```")) code = !code;
            const auto columns = std::count_if(line.begin(), line.end(), [](char c) { return (c & 0xC0) != 0x80; });
            INFO(file << ":" << n);
            CHECK((code || columns <= 120));
        }
    }
}
