#include "safe_file.h"

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <dirent.h>
#include <fcntl.h>
#include <filesystem>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cell/text/content_key.h>
#include <cell/text/disk.h>

namespace escarp::cell {
namespace {

constexpr const char* ending = ".edits";
constexpr std::size_t largest_journal = 1u << 30, longest_journal = 64u << 20;
constexpr std::size_t most_dropped = 20;
constexpr int around_a_document = 4;  // groups that a record puts around what it holds

[[noreturn]] void fail(const std::string& where, const std::string& what) {
    throw InputError(where, what + ": " + std::strerror(errno) + ".");
}

/// One record: a line with its length and checksum, then the JSON.
std::string record_text(const json& record) {
    const std::string body = record.dump(-1, ' ', false, json::error_handler_t::replace);
    char head[64];
    std::snprintf(head, sizeof head, "%zu %016llx\n", body.size(),
        static_cast<unsigned long long>(ContentKey().add(body).value()));
    return head + body + "\n";
}

void write_all(int to, const std::string& bytes, const std::string& where) {
    std::size_t done = 0;
    while (done < bytes.size()) {
        const ssize_t n = ::write(to, bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) fail(where, "The edit could not be written down");
        done += static_cast<std::size_t>(n);
    }
}

/// Whole records from the beginning; a torn one ends the list.
std::vector<json> read_records(const std::string& path) {
    std::vector<json> out;
    std::string text;
    try {
        text = read_file(path, largest_journal);
    } catch (const InputError&) {
        return out;  // nothing that this program wrote
    }
    std::size_t at = 0;
    while (at < text.size()) {
        unsigned long long length = 0, sum = 0;
        const std::size_t line = text.find('\n', at);
        if (line == std::string::npos ||
            std::sscanf(text.substr(at, line - at).c_str(), "%llu %llx", &length, &sum) != 2)
            break;
        if (length > text.size() || line + 1 + length >= text.size()) break;
        const std::string body = text.substr(line + 1, length);
        if (text[line + 1 + length] != '\n' || ContentKey().add(body).value() != sum) break;
        try {
            json record = parse_json(body, around_a_document);
            if (!record.is_object()) break;
            out.push_back(std::move(record));
        } catch (const InputError&) {
            break;  // nothing that this program wrote
        }
        at = line + 2 + length;
    }
    return out;
}

/// Opens and locks; -1 when another program holds it. The path may be swapped for a new file meanwhile: then once more.
int open_locked(const std::string& path, bool make) {
    for (int round = 0; round < 5; ++round) {
        // Not through a link: whoever may write the folder could have put one there.
        const int fd =
            ::open(path.c_str(), O_RDWR | O_APPEND | O_CLOEXEC | O_NOFOLLOW | O_NONBLOCK | (make ? O_CREAT : 0), 0600);
        if (fd < 0) return -2;
        if (::flock(fd, LOCK_EX | LOCK_NB) != 0) {
            ::close(fd);
            return -1;
        }
        struct stat held {
        }, there{};
        if (::fstat(fd, &held) != 0 || !S_ISREG(held.st_mode)) {  // not a journal: a pipe, a device
            ::close(fd);
            return -2;
        }
        if (::stat(path.c_str(), &there) == 0 && held.st_ino == there.st_ino) return fd;
        ::close(fd);
    }
    return -1;
}

bool begins_like_a_journal(const std::string& bytes) {
    unsigned long long length = 0, sum = 0;
    int read = 0;
    return std::sscanf(bytes.c_str(), "%llu %llx\n%n", &length, &sum, &read) == 2 && read > 0 &&
           bytes.substr(static_cast<std::size_t>(read)).starts_with("{\"file\":");
}

std::string real(const std::string& file) {
    std::error_code none;
    const auto whole = std::filesystem::weakly_canonical(file, none);
    return none ? file : whole.string();
}

}  // namespace

SafeFile::SafeFile(std::string room) : room_(std::move(room)) {}

SafeFile::~SafeFile() {
    if (lock_ < 0) return;
    if (!dirty_) ::unlink(journal_.c_str());
    ::close(lock_);
}

SafeFile::Stamp SafeFile::stamp_of(const std::string& file) {
    struct stat s {};
    if (::stat(file.c_str(), &s) != 0) return {};
    return {s.st_size, s.st_mtim.tv_sec, s.st_mtim.tv_nsec, s.st_ino};
}

bool SafeFile::hold(const std::string& file) {
    const std::filesystem::path path(real(file));
    std::string journal = (path.parent_path() / ("." + path.filename().string() + ending)).string();
    int fd = open_locked(journal, true);
    if (fd == -2) {  // the folder cannot be written: the journal goes where there is room
        std::error_code none;
        std::filesystem::create_directories(room_, none);
        char key[32];
        std::snprintf(
            key, sizeof key, "%016llx", static_cast<unsigned long long>(ContentKey().add(path.string()).value()));
        journal = room_ + "/" + key + ending;
        fd = open_locked(journal, true);
        if (fd == -2) fail(journal, "The edits' journal cannot be written");
    }
    if (fd < 0) return false;
    forget();
    lock_ = fd;
    journal_ = journal;
    file_ = file;
    remove_left_overs(file);
    remove_left_overs(journal, begins_like_a_journal);
    stamp_ = stamp_of(file);
    dirty_ = ::lseek(fd, 0, SEEK_END) > 0;  // until `begin` says what is in it
    return true;
}

std::optional<Recovered> SafeFile::left_over(const Document& on_disk) const {
    auto found = read_journal(journal_);
    if (!found || found->document == on_disk) return std::nullopt;
    return found;
}

/// A new journal that begins with the whole document takes the old one's place at one stroke.
void SafeFile::restart(const Document& now, bool saved) {
    const std::string first = record_text({{"file", file_}, {"saved", saved}, {"whole", now.tree()}});
    std::string fresh;
    const int fd = open_fresh(journal_, fresh);
    if (::fcntl(fd, F_SETFL, O_APPEND) != 0 || ::flock(fd, LOCK_EX | LOCK_NB) != 0) {
        const int why = errno;
        ::close(fd);
        ::unlink(fresh.c_str());
        errno = why;
        fail(journal_, "The edits' journal cannot be written");
    }
    try {
        write_all(fd, first, fresh);
    } catch (...) {
        ::close(fd);
        ::unlink(fresh.c_str());
        throw;
    }
    if (::rename(fresh.c_str(), journal_.c_str()) != 0) {
        const int why = errno;
        ::close(fd);
        ::unlink(fresh.c_str());
        errno = why;
        fail(journal_, "The edits' journal cannot be written");
    }
    if (lock_ >= 0) ::close(lock_);
    lock_ = fd;
    last_ = now;
    dirty_ = !saved;
    drafting_ = false;
    written_ = first.size();
}

void SafeFile::begin(const Document& now, bool saved) { restart(now, saved); }

void SafeFile::begin_unsaved(const Document& now) {
    forget();
    file_.clear();
    last_ = now;
    stamp_ = {};
}

void SafeFile::make_journal() {
    if (lock_ >= 0) return;
    std::error_code none;
    std::filesystem::create_directories(room_, none);
    for (int i = 1; lock_ < 0 && i < 1000; ++i) {
        journal_ = room_ + "/unsaved-" + std::to_string(::getpid()) + "-" + std::to_string(i) + ending;
        if (::access(journal_.c_str(), F_OK) != 0) lock_ = open_locked(journal_, true);
        if (lock_ == -2) {
            lock_ = -1;
            fail(journal_, "The edits' journal cannot be written");
        }
    }
    restart(last_, false);
}

void SafeFile::draft(const std::string& variant, const Edit& edit) {
    make_journal();
    if (written_ > longest_journal) restart(last_, false);  // drags alone have filled it
    json list = json::array();
    for (const Operation& op : edit.operations) list.push_back(op.to_json());
    append({{"name", edit.name}, {"draft", {{"variant", variant}, {"operations", std::move(list)}}}});
    dirty_ = drafting_ = true;
}

void SafeFile::end_draft() {
    if (!drafting_) return;
    append({{"draft", nullptr}});
    drafting_ = false;
}

void SafeFile::acknowledge(const Document& now, const std::string& name) {
    if (now == last_) return end_draft();
    make_journal();
    drafting_ = false;
    Operations operations = difference(last_.tree(), now.tree());
    json check = last_.tree(), list = json::array();
    bool good = true;
    for (const Operation& op : operations) {
        good = good && try_apply(check, op);
        list.push_back(op.to_json());
    }
    if (good && check == now.tree()) append({{"name", name}, {"operations", std::move(list)}});
    else append({{"name", name}, {"whole", now.tree()}});
    last_ = now;
    dirty_ = true;
}

void SafeFile::append(const json& record) {
    const off_t before = ::lseek(lock_, 0, SEEK_END);
    try {
        const std::string text = record_text(record);
        write_all(lock_, text, journal_);
        written_ += text.size();
    } catch (...) {  // what follows a torn record would not be read
        if (before < 0 || ::ftruncate(lock_, before) != 0) restart(last_, false);
        throw;
    }
}

void SafeFile::save(const Document& now, MayReplace may) {
    if (!may.changes && changed_outside())
        throw InputError(file_,
            "Another program has changed or removed the file since it was read here. It was not written; the edits are "
            "kept in its journal.");
    if (!may.read_only && read_only(file_))
        throw InputError(file_,
            "The file is read-only. It was not written; allow writing first (chmod u+w), or save under another name.");
    now.save(file_);
    stamp_ = stamp_of(file_);
    restart(now, true);
}

void SafeFile::forget() {
    if (lock_ < 0) return;
    ::unlink(journal_.c_str());
    ::close(lock_);
    lock_ = -1;
    dirty_ = false;
}

std::string SafeFile::usual_room() {
    const char* state = std::getenv("XDG_STATE_HOME");
    const char* home = std::getenv("HOME");
    return (state && *state ? std::string(state) : std::string(home ? home : ".") + "/.local/state") + "/escarp";
}

bool SafeFile::changed_outside() const { return !file_.empty() && !(stamp_of(file_) == stamp_); }

std::optional<Recovered> SafeFile::read_journal(const std::string& journal, bool also_saved) {
    const std::vector<json> records = read_records(journal);
    if (records.empty() || !records.front().contains("whole")) return std::nullopt;
    try {
        Recovered out;
        out.journal = journal;
        out.file = records.front().value("file", "");
        json tree = records.front()["whole"];
        if (records.front().value("saved", false)) out.before_edits = Document::parse(tree.dump());
        const json* draft = nullptr;
        for (std::size_t i = 1; i < records.size(); ++i) {
            const json& r = records[i];
            draft = r.contains("draft") && r["draft"].is_object() ? &r : nullptr;
            if (r.contains("draft")) continue;
            if (r.contains("whole")) tree = r["whole"];
            else
                for (const json& op : r.at("operations")) cell::apply(tree, Operation::from_json(op, "journal"));
            ++out.edits;
            out.last_edit = r.value("name", "");
        }
        out.document = Document::parse(tree.dump());
        if (draft) {
            Edit edit{draft->value("name", ""), {}};
            for (const json& op : (*draft)["draft"].at("operations"))
                edit.operations.push_back(Operation::from_json(op, "journal"));
            out.document = out.document.edited((*draft)["draft"].at("variant"), edit);
            ++out.edits;
            out.last_edit = edit.name;
        }
        if (out.edits == 0 && records.front().value("saved", false) && !also_saved) return std::nullopt;
        return out;
    } catch (const std::exception&) {
        return std::nullopt;  // not a journal of this program
    }
}

std::string SafeFile::keep_dropped(const std::string& room, const Document& dropped) {
    std::error_code none;
    const std::filesystem::path folder = std::filesystem::path(room) / "dropped";
    std::filesystem::create_directories(folder, none);
    std::vector<std::filesystem::path> kept;
    for (std::filesystem::directory_iterator at(folder, none), end; !none && at != end; at.increment(none))
        if (at->path().extension() == ".escarp") kept.push_back(at->path());
    std::sort(kept.begin(), kept.end());  // the oldest first: their names begin with the time
    for (std::size_t i = 0; i + most_dropped <= kept.size(); ++i) std::filesystem::remove(kept[i], none);
    timespec now{};
    ::clock_gettime(CLOCK_REALTIME, &now);
    tm parts{};
    ::localtime_r(&now.tv_sec, &parts);
    char time[64], name[96];
    std::strftime(time, sizeof time, "%Y-%m-%d-%H%M%S", &parts);
    std::snprintf(name, sizeof name, "%s-%03ld.escarp", time, now.tv_nsec / 1000000);
    try {
        dropped.save((folder / name).string());
        return (folder / name).string();
    } catch (const InputError&) {
        return {};
    }
}

std::vector<Recovered> SafeFile::unsaved_in(const std::string& room) {
    std::vector<Recovered> out;
    std::error_code none;
    for (const auto& entry : std::filesystem::directory_iterator(room, none)) {
        const std::string path = entry.path().string();
        if (entry.path().extension() != ending) continue;
        const int fd = open_locked(path, false);
        if (fd < 0) continue;
        if (auto found = read_journal(path)) out.push_back(std::move(*found));
        else ::unlink(path.c_str());
        ::close(fd);
    }
    std::sort(out.begin(), out.end(), [](const Recovered& a, const Recovered& b) { return a.journal < b.journal; });
    return out;
}

}  // namespace escarp::cell
