// Nothing that was acknowledged is lost, whatever ends the program.
#include <catch2/catch.hpp>
#include <chrono>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <set>
#include <signal.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

#include <cell/document/safe_file.h>

#include "support/cells.h"
#include "support/folder.h"
#include "support/random.h"
#include "support/rounds.h"

using namespace escarp;
using namespace escarp::cell;

using escarp::tests::Folder;

namespace {

Document moved(const Document& d, double x) {
    return d.edited(d.baseline(), {"Move", {Operation::set("/devices/tester/placement/x_mm", x)}});
}

/// The real program under test: edits go in by its standard input, acknowledgements come out.
struct Program {
    pid_t pid = -1;
    int in = -1, out = -1;
    Program(const std::string& file, const std::string& room) {
        int to[2], from[2];
        REQUIRE(::pipe2(to, O_CLOEXEC) == 0);
        REQUIRE(::pipe2(from, O_CLOEXEC) == 0);
        pid = ::fork();
        if (pid == 0) {
            ::dup2(to[0], 0);
            ::dup2(from[1], 1);
            ::setenv("XDG_STATE_HOME", room.c_str(), 1);
            ::execl(ESCARP_CLI, ESCARP_CLI, "edit", file.c_str(), static_cast<char*>(nullptr));
            ::_exit(127);
        }
        ::close(to[0]), ::close(from[1]);
        in = to[1], out = from[0];
    }
    ~Program() {
        ::close(in), ::close(out);
        ::kill(pid, SIGKILL);
        int status;
        ::waitpid(pid, &status, 0);
    }
};

}  // namespace

TEST_CASE("edits that were not saved are found again, those that were saved are not") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    const Document first = tests::demo();
    first.save(file);
    {
        SafeFile safe(folder / "room");
        REQUIRE(safe.hold(file));
        CHECK(!safe.left_over(first));
        safe.begin(first, true);
        safe.acknowledge(moved(first, 1), "one");
        safe.acknowledge(moved(first, 2), "two");
    }  // the end of the program without a word
    {
        SafeFile safe(folder / "room");
        REQUIRE(safe.hold(file));
        const auto found = safe.left_over(Document::load(file));
        REQUIRE(found);
        CHECK(found->document == moved(first, 2));
        CHECK(found->edits == 2);
        CHECK(found->last_edit == "two");
        safe.begin(found->document, false);
        safe.save(found->document);
    }
    SafeFile safe(folder / "room");
    REQUIRE(safe.hold(file));
    CHECK(!safe.left_over(Document::load(file)));
    CHECK(Document::load(file) == moved(first, 2));
}

TEST_CASE("one file, one holder: the second is turned away, and let in when the first is gone") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    auto first = std::make_unique<SafeFile>(folder / "room");
    REQUIRE(first->hold(file));
    first->begin(tests::demo(), true);
    SafeFile second(folder / "room");
    CHECK(!second.hold(file));
    first->save(moved(tests::demo(), 5));  // the journal is swapped; the lock goes along
    CHECK(!second.hold(file));
    first.reset();
    CHECK(second.hold(file));
}

TEST_CASE("a change by another program is noticed, an own save is not one") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    SafeFile safe(folder / "room");
    REQUIRE(safe.hold(file));
    safe.begin(tests::demo(), true);
    CHECK(!safe.changed_outside());
    safe.save(moved(tests::demo(), 5));
    CHECK(!safe.changed_outside());
    std::ofstream(file, std::ios::app) << "\n";
    CHECK(safe.changed_outside());
}

TEST_CASE("a document without a file keeps its edits in the room") {
    const Folder folder;
    const std::string room = folder / "room";
    const Document edited = tests::demo();
    {
        SafeFile safe(room);
        safe.begin_unsaved(Document());
        safe.acknowledge(edited, "everything");
        CHECK(SafeFile::unsaved_in(room).empty());  // its owner is alive
    }
    const auto found = SafeFile::unsaved_in(room);
    REQUIRE(found.size() == 1);
    CHECK(found[0].document == edited);
}

TEST_CASE("a journal that is torn, mangled or foreign gives what is whole in it, or nothing, and never a crash") {
    const Folder folder;
    const std::string file = folder / "a.escarp", journal = folder / ".a.escarp.edits";
    const Document first = tests::demo();
    first.save(file);
    {
        SafeFile safe(folder / "room");
        REQUIRE(safe.hold(file));
        safe.begin(first, true);
        for (int i = 1; i <= 8; ++i) safe.acknowledge(moved(first, i), "move");
    }
    std::ifstream in(journal, std::ios::binary);
    const std::string whole((std::istreambuf_iterator<char>(in)), {});
    REQUIRE(whole.size() > 1000);
    tests::Draw draw(7);
    int recovered = 0;
    for (int i = 0; i < 300; ++i) {
        std::string text = whole.substr(0, static_cast<std::size_t>(draw.in(0, static_cast<double>(whole.size()))));
        if (i % 3 == 0 && !text.empty())
            text[draw.in(0, static_cast<double>(text.size()))] ^= static_cast<char>(draw.whole(1, 255));
        std::ofstream(journal, std::ios::binary | std::ios::trunc) << text;
        const auto found = SafeFile::read_journal(journal);
        if (!found) continue;
        ++recovered;
        CHECK(found->edits >= 0);
        if (found->edits > 0) CHECK(found->document == moved(first, found->edits));
    }
    CHECK(recovered > 5);
}

TEST_CASE("killed at 200 random instants during edits and saves, nothing acknowledged is lost") {
    const Folder folder;
    const std::string file = folder / "a.escarp", room = folder / "room";
    Document::load(ESCARP_DEMO).save(file);
    tests::Draw draw(20);
    double value = 3000;  // above what the demo has: a start that is killed before its first edit leaves that
    int kills = 0, in_save = 0, with_left_over = 0;
    for (int round = 0; round < tests::rounds(200); ++round) {
        double acknowledged = -1;
        {
            Program program(file, room);
            // A quarter is hit while starting, the others at some instant after a number of answers, however long those
            // take.
            const long answers = round % 4 == 0 ? 0 : draw.whole(1, 15);
            const std::chrono::microseconds later(
                static_cast<long>(answers == 0 ? draw.in(0, 45000) : draw.in(0, 3000)));
            std::optional<std::chrono::steady_clock::time_point> end;
            std::string sent, heard;
            bool started = false;
            std::vector<double> asked;
            ::fcntl(program.out, F_SETFL, O_NONBLOCK);
            ::fcntl(program.in, F_SETFL, O_NONBLOCK);
            std::string pending;
            std::size_t lines = 0;
            while (!end || std::chrono::steady_clock::now() < *end) {
                if (!end && std::count(heard.begin(), heard.end(), '\n') >= answers)
                    end = std::chrono::steady_clock::now() + later;
                if (pending.empty() &&
                    asked.size() < static_cast<std::size_t>(std::count(heard.begin(), heard.end(), '\n')) + 12) {
                    value += 0.01;
                    pending = json{{"name", "Move"},
                                  {"operations", {{{"at", "/devices/tester/placement/x_mm"}, {"value", value}}}}}
                                  .dump() +
                              "\n";
                    asked.push_back(value);
                    if (draw.in(0, 1) < 0.3) pending += "{\"save\": true}\n", asked.push_back(-value);
                }
                const ssize_t n = pending.empty() ? 0 : ::write(program.in, pending.data(), pending.size());
                if (n > 0) pending.erase(0, static_cast<std::size_t>(n));
                char buffer[4096];
                const ssize_t got = ::read(program.out, buffer, sizeof buffer);
                REQUIRE(got != 0);  // it lives on
                if (got > 0) heard.append(buffer, static_cast<std::size_t>(got)), started = true;
                if (n <= 0 && got <= 0) std::this_thread::sleep_for(std::chrono::microseconds(50));
            }
            ::kill(program.pid, SIGKILL);
            char buffer[4096];
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
            for (ssize_t got; (got = ::read(program.out, buffer, sizeof buffer)) > 0;)
                heard.append(buffer, static_cast<std::size_t>(got));
            lines = static_cast<std::size_t>(std::count(heard.begin(), heard.end(), '\n'));
            REQUIRE(heard.find("refused") == std::string::npos);
            for (std::size_t i = 0; i < lines && i < asked.size(); ++i)
                if (asked[i] > 0) acknowledged = asked[i];
            if (lines < asked.size() && asked[lines] < 0) ++in_save;
            kills += started;
        }
        // The next start: what is offered is what was acknowledged, or the edit that was under way.
        SafeFile safe(room);
        const Document on_disk = Document::load(file);  // never torn
        REQUIRE(safe.hold(file));
        const auto found = safe.left_over(on_disk);
        with_left_over += found.has_value();
        const Document now = found ? found->document : on_disk;
        const json* x = find(now.tree(), "/devices/tester/placement/x_mm");
        REQUIRE(x);
        if (acknowledged > 0) REQUIRE(x->get<double>() >= acknowledged);
        REQUIRE(x->get<double>() <= value);
        safe.begin(now, false);
        safe.save(now);
    }
    CHECK(kills > tests::rounds(100));  // most were hit at work, not while starting
    CHECK(in_save >= tests::rounds(6));
    CHECK(with_left_over > tests::rounds(50));
}

TEST_CASE(
    "a save refuses what somebody else wrote, and a read-only file, unless it is allowed to replace them; the edits "
    "stay") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    SafeFile safe(folder / "room");
    REQUIRE(safe.hold(file));
    safe.begin(tests::demo(), true);
    const Document mine = moved(tests::demo(), 5), theirs = moved(tests::demo(), 6);
    safe.acknowledge(mine, "move");
    theirs.save(file);
    CHECK_THROWS_AS(safe.save(mine), InputError);
    CHECK(Document::load(file) == theirs);
    safe.save(mine, {.changes = true});
    CHECK(Document::load(file) == mine);
    std::filesystem::remove(file);
    CHECK_THROWS_AS(safe.save(mine), InputError);
    safe.save(mine, {.changes = true});
    std::filesystem::permissions(file, std::filesystem::perms::owner_read);
    safe.read_again();
    CHECK_THROWS_AS(safe.save(theirs), InputError);
    CHECK(Document::load(file) == mine);
    safe.save(theirs, {.read_only = true});
    CHECK(Document::load(file) == theirs);
}

TEST_CASE("a cell whose file is gone or cut off is in the journal as a whole") {
    const Folder folder;
    const std::string file = folder / "a.escarp", room = folder / "room";
    for (const bool edited : {true, false})
        for (const bool gone : {true, false}) {
            tests::demo().save(file);
            const Document now = edited ? moved(tests::demo(), 7) : tests::demo();
            const pid_t child = ::fork();
            if (child == 0) {  // as after a kill: the journal stays, nobody holds it
                SafeFile safe(room);
                if (!safe.hold(file)) ::_exit(1);
                safe.begin(tests::demo(), true);
                if (edited) safe.acknowledge(now, "move");
                ::_exit(0);
            }
            int status = 1;
            ::waitpid(child, &status, 0);
            REQUIRE(status == 0);
            if (gone) std::filesystem::remove(file);
            else std::filesystem::resize_file(file, 1000);
            SafeFile next(room);
            REQUIRE(next.hold(file));
            const auto found = next.left_of_lost();
            REQUIRE(found);
            CHECK(found->document == now);
            CHECK(found->edits == (edited ? 1 : 0));
            next.begin(now, false);
            next.save(now, {.changes = true});
            CHECK(Document::load(file) == now);
        }
}

TEST_CASE("what is being tried out comes back as it was last; what was taken back or made does not") {
    const Folder folder;
    const std::string file = folder / "a.escarp", journal = folder / ".a.escarp.edits";
    const Document first = tests::demo();
    first.save(file);
    SafeFile safe(folder / "room");
    REQUIRE(safe.hold(file));
    safe.begin(first, true);
    const auto drag = [](double x) {
        return Edit{"Move Tester", {Operation::set("/devices/tester/placement/x_mm", x)}};
    };
    for (int i = 1; i <= 5; ++i) safe.draft("B", drag(100.0 * i));
    auto found = SafeFile::read_journal(journal);
    REQUIRE(found);
    CHECK(found->document == first.edited("B", drag(500)));
    CHECK(found->last_edit == "Move Tester");
    safe.end_draft();
    CHECK(!SafeFile::read_journal(journal));
    safe.draft("B", drag(50));
    const Document taken = first.edited("B", drag(51));
    safe.acknowledge(taken, "Move Tester");
    found = SafeFile::read_journal(journal);
    REQUIRE(found);
    CHECK(found->document == taken);
    CHECK(found->edits == 1);
}

TEST_CASE("what is dropped is kept aside, the last twenty of it") {
    const Folder folder;
    std::set<std::string> files;
    for (int i = 0; i < 25; ++i) {
        const std::string kept = SafeFile::keep_dropped(folder / "room", moved(tests::demo(), i));
        REQUIRE(!kept.empty());
        CHECK(Document::load(kept) == moved(tests::demo(), i));
        files.insert(kept);
        while (SafeFile::keep_dropped(folder / "other", tests::demo()).empty()) {
        }
    }
    CHECK(std::distance(std::filesystem::directory_iterator(folder / "room/dropped"), {}) <= 20);
    CHECK(std::filesystem::exists(*files.rbegin()));
}

TEST_CASE("a pipe where the journal should be holds nothing up") {
    const Folder folder;
    const std::string file = folder / "a.escarp";
    tests::demo().save(file);
    REQUIRE(::mkfifo((folder / ".a.escarp.edits").c_str(), 0600) == 0);
    SafeFile safe(folder / "room");
    REQUIRE(safe.hold(file));  // the journal goes where there is room
    CHECK(!safe.left_over(tests::demo()));
    safe.begin(tests::demo(), true);
    safe.acknowledge(moved(tests::demo(), 3), "move");
    CHECK(std::distance(std::filesystem::directory_iterator(folder / "room"), {}) == 1);
}
