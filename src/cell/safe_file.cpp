#include "safe_file.h"

#include <dirent.h>
#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <fstream>
#include <sstream>

#include "content_key.h"

namespace escarp::cell {
namespace {

constexpr const char* ending = ".edits";

[[noreturn]] void fail(const std::string& where, const std::string& what) { throw InputError(where, what + ": " + std::strerror(errno) + "."); }

/// One record: a line with its length and checksum, then the JSON.
std::string record_text(const json& record) {
    const std::string body = record.dump(-1, ' ', false, json::error_handler_t::replace);
    char head[64];
    std::snprintf(head, sizeof head, "%zu %016llx\n", body.size(), static_cast<unsigned long long>(ContentKey().add(body).value()));
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
    std::ifstream in(path, std::ios::binary);
    std::ostringstream all;
    all << in.rdbuf();
    const std::string text = all.str();
    std::size_t at = 0;
    while (at < text.size()) {
        unsigned long long length = 0, sum = 0;
        const std::size_t line = text.find('\n', at);
        if (line == std::string::npos || std::sscanf(text.substr(at, line - at).c_str(), "%llu %llx", &length, &sum) != 2) break;
        if (length > text.size() || line + 1 + length >= text.size()) break;
        const std::string body = text.substr(line + 1, length);
        if (text[line + 1 + length] != '\n' || ContentKey().add(body).value() != sum) break;
        json record = json::parse(body, nullptr, false);
        if (!record.is_object()) break;
        out.push_back(std::move(record));
        at = line + 2 + length;
    }
    return out;
}

/// Opens and locks; -1 when another program holds it. The path may be swapped for a new file meanwhile: then once more.
int open_locked(const std::string& path, bool make) {
    for (int round = 0; round < 5; ++round) {
        const int fd = ::open(path.c_str(), O_RDWR | O_APPEND | O_CLOEXEC | (make ? O_CREAT : 0), 0600);
        if (fd < 0) return -2;
        if (::flock(fd, LOCK_EX | LOCK_NB) != 0) {
            ::close(fd);
            return -1;
        }
        struct stat held {}, there {};
        if (::fstat(fd, &held) == 0 && ::stat(path.c_str(), &there) == 0 && held.st_ino == there.st_ino) return fd;
        ::close(fd);
    }
    return -1;
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
        std::snprintf(key, sizeof key, "%016llx", static_cast<unsigned long long>(ContentKey().add(path.string()).value()));
        journal = room_ + "/" + key + ending;
        fd = open_locked(journal, true);
        if (fd == -2) fail(journal, "The edits' journal cannot be written");
    }
    if (fd < 0) return false;
    forget();
    lock_ = fd;
    journal_ = journal;
    file_ = file;
    stamp_ = stamp_of(file);
    dirty_ = true;  // until `begin` says what is in it
    return true;
}

std::optional<Recovered> SafeFile::left_over(const Document& on_disk) const {
    auto found = read_journal(journal_);
    if (!found || found->document == on_disk) return std::nullopt;
    return found;
}

/// A new journal that begins with the whole document takes the old one's place at one stroke.
void SafeFile::restart(const Document& now, bool saved) {
    const std::string fresh = journal_ + ".new";
    const int fd = ::open(fresh.c_str(), O_RDWR | O_APPEND | O_CREAT | O_TRUNC | O_CLOEXEC, 0600);
    if (fd < 0 || ::flock(fd, LOCK_EX | LOCK_NB) != 0) fail(fresh, "The edits' journal cannot be written");
    try {
        write_all(fd, record_text({{"file", file_}, {"saved", saved}, {"whole", now.tree()}}), fresh);
    } catch (...) {
        ::close(fd);
        ::unlink(fresh.c_str());
        throw;
    }
    if (::rename(fresh.c_str(), journal_.c_str()) != 0) {
        ::close(fd);
        fail(journal_, "The edits' journal cannot be written");
    }
    if (lock_ >= 0) ::close(lock_);
    lock_ = fd;
    last_ = now;
    dirty_ = !saved;
}

void SafeFile::begin(const Document& now, bool saved) { restart(now, saved); }

void SafeFile::begin_unsaved(const Document& now) {
    forget();
    file_.clear();
    last_ = now;
    stamp_ = {};
}

void SafeFile::acknowledge(const Document& now, const std::string& name) {
    if (now == last_) return;
    if (lock_ < 0) {  // the first edit of a document without a file
        std::error_code none;
        std::filesystem::create_directories(room_, none);
        for (int i = 1; lock_ < 0 && i < 1000; ++i) {
            journal_ = room_ + "/unsaved-" + std::to_string(::getpid()) + "-" + std::to_string(i) + ending;
            if (::access(journal_.c_str(), F_OK) != 0) lock_ = open_locked(journal_, true);
            if (lock_ == -2) fail(journal_, "The edits' journal cannot be written");
        }
        restart(last_, false);
    }
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
        write_all(lock_, record_text(record), journal_);
    } catch (...) {  // what follows a torn record would not be read
        if (before < 0 || ::ftruncate(lock_, before) != 0) restart(last_, false);
        throw;
    }
}

void SafeFile::save(const Document& now) {
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

bool SafeFile::changed_outside() const { return !file_.empty() && stamp_.size >= 0 && !(stamp_of(file_) == stamp_); }

std::optional<Recovered> SafeFile::read_journal(const std::string& journal) {
    const std::vector<json> records = read_records(journal);
    if (records.empty() || !records.front().contains("whole")) return std::nullopt;
    try {
        Recovered out;
        out.journal = journal;
        out.file = records.front().value("file", "");
        json tree = records.front()["whole"];
        for (std::size_t i = 1; i < records.size(); ++i) {
            const json& r = records[i];
            if (r.contains("whole")) tree = r["whole"];
            else
                for (const json& op : r.at("operations")) cell::apply(tree, Operation::from_json(op, "journal"));
            ++out.edits;
            out.last_edit = r.value("name", "");
        }
        if (out.edits == 0 && records.front().value("saved", false)) return std::nullopt;
        out.document = Document::parse(tree.dump());
        return out;
    } catch (const std::exception&) {
        return std::nullopt;  // not a journal of this program
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
