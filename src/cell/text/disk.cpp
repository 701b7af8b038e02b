#include "disk.h"

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <limits.h>
#include <optional>
#include <random>
#include <sys/random.h>
#include <sys/stat.h>
#include <unistd.h>
#include <utility>

#include "problem.h"

namespace escarp::cell {
namespace {

constexpr const char* fresh_ending = ".unfinished";
constexpr std::size_t fresh_digits = 16;

[[noreturn]] void fail(const std::string& file, const std::string& what) {
    throw InputError(file, what + ": " + std::strerror(errno) + ".");
}

class Descriptor {
public:
    explicit Descriptor(int fd) : fd_(fd) {}
    ~Descriptor() {
        if (fd_ >= 0) ::close(fd_);
    }
    Descriptor(const Descriptor&) = delete;
    Descriptor& operator=(const Descriptor&) = delete;
    explicit operator bool() const { return fd_ >= 0; }
    int get() const { return fd_; }
    bool close() { return ::close(std::exchange(fd_, -1)) == 0; }

private:
    int fd_;
};

/// Opened without waiting for whoever might be at the other end.
Descriptor opened(const std::string& file) {
    struct stat info {};
    if (::stat(file.c_str(), &info) != 0) fail(file, "The file cannot be opened");
    if (!S_ISREG(info.st_mode))
        throw InputError(file, S_ISDIR(info.st_mode) ? "This is a folder; a file is expected."
                                                     : "This is a pipe or a device; a file is expected.");
    const int fd = ::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY);
    if (fd < 0) fail(file, "The file cannot be opened");
    if (::fstat(fd, &info) != 0 || !S_ISREG(info.st_mode)) {
        ::close(fd);
        throw InputError(file, "This is a pipe or a device; a file is expected.");
    }
    return Descriptor(fd);
}

bool put(int to, const std::string& bytes) {
    for (std::size_t done = 0; done < bytes.size();) {
        const ssize_t n = ::write(to, bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        done += static_cast<std::size_t>(n);
    }
    return true;
}

/// The file itself, where a link leads to it.
std::string real_path(const std::string& file) {
    char path[PATH_MAX];
    return ::realpath(file.c_str(), path) ? std::string(path) : file;
}

void flush_folder(const std::string& file) {
    const std::size_t slash = file.rfind('/');
    const Descriptor folder(::open(
        slash == std::string::npos ? "." : file.substr(0, slash + 1).c_str(), O_RDONLY | O_DIRECTORY | O_CLOEXEC));
    if (folder) ::fsync(folder.get());
}

constexpr const char* not_written = "The file could not be written; the old one is untouched";
constexpr const char* not_replaceable = "This is a folder, a pipe or a device; choose the name of a file.";

void write_in_place(const std::string& file, const std::string& bytes) {
    const Descriptor out(::open(file.c_str(), O_WRONLY | O_CLOEXEC | O_NONBLOCK));
    if (!out) fail(file, not_written);
    if (::posix_fallocate(out.get(), 0, static_cast<off_t>(bytes.size())) == ENOSPC) {
        errno = ENOSPC;
        fail(file, not_written);
    }
    if (!put(out.get(), bytes) || ::ftruncate(out.get(), static_cast<off_t>(bytes.size())) != 0 ||
        ::fsync(out.get()) != 0)
        fail(file, "The file could not be written to its end");
}

}  // namespace

void check_regular(const std::string& file) { opened(file); }

std::string read_file(const std::string& file, std::size_t most) {
    const Descriptor in = opened(file);
    struct stat info {};
    ::fstat(in.get(), &info);
    const auto too_large = [&] {
        throw InputError(file, "The file is larger than " + std::to_string(most >> 20) + " MB, the most that is read.");
    };
    if (static_cast<std::size_t>(info.st_size) > most) too_large();
    std::string bytes(static_cast<std::size_t>(info.st_size) + 1, '\0');
    std::size_t done = 0;
    while (true) {
        if (done == bytes.size()) bytes.resize(2 * bytes.size());
        const ssize_t n = ::read(in.get(), bytes.data() + done, bytes.size() - done);
        if (n < 0 && errno == EINTR) continue;
        if (n < 0) fail(file, "The file cannot be read");
        if (n == 0) break;
        if ((done += static_cast<std::size_t>(n)) > most) too_large();
    }
    bytes.resize(done);
    return bytes;
}

bool read_only(const std::string& file) {
    struct stat info {};
    return ::stat(file.c_str(), &info) == 0 && ((info.st_mode & 0222) == 0 || ::access(file.c_str(), W_OK) != 0);
}

namespace {

/// ".NAME.0123456789abcdef.unfinished", in the file's folder.
std::filesystem::path fresh_path(const std::filesystem::path& target) {
    std::uint64_t chance = 0;
    if (::getrandom(&chance, sizeof chance, 0) != sizeof chance)
        chance = std::random_device{}() * 0x9E3779B97F4A7C15ull;
    char digits[fresh_digits + 1];
    std::snprintf(digits, sizeof digits, "%016llx", static_cast<unsigned long long>(chance));
    return target.parent_path() / ("." + target.filename().string() + "." + digits + fresh_ending);
}

bool is_fresh_name(const std::string& name, const std::string& of) {
    const std::string begin = "." + of + ".";
    const std::string end = fresh_ending;
    if (name.size() != begin.size() + fresh_digits + end.size() || !name.starts_with(begin) || !name.ends_with(end))
        return false;
    return std::all_of(name.begin() + static_cast<std::ptrdiff_t>(begin.size()),
        name.end() - static_cast<std::ptrdiff_t>(end.size()), [](unsigned char c) { return std::isxdigit(c) != 0; });
}

/// The first bytes of a regular file that is no link; nothing where it is none.
std::optional<std::string> beginning_of(const std::string& file, std::size_t most) {
    const Descriptor in(::open(file.c_str(), O_RDONLY | O_CLOEXEC | O_NONBLOCK | O_NOCTTY | O_NOFOLLOW));
    struct stat info {};
    if (!in || ::fstat(in.get(), &info) != 0 || !S_ISREG(info.st_mode)) return std::nullopt;
    std::string bytes(most, '\0');
    std::size_t done = 0;
    while (done < most) {
        const ssize_t n = ::read(in.get(), bytes.data() + done, most - done);
        if (n <= 0) break;
        done += static_cast<std::size_t>(n);
    }
    bytes.resize(done);
    return bytes;
}

constexpr std::size_t enough_to_tell = 4096;

bool same_file(const std::string& a, const std::string& b) {
    struct stat one {
    }, other{};
    return ::stat(a.c_str(), &one) == 0 && ::stat(b.c_str(), &other) == 0 && one.st_dev == other.st_dev &&
           one.st_ino == other.st_ino;
}

}  // namespace

bool begins_like_a_cell(const std::string& bytes) {
    const std::size_t first = bytes.find_first_not_of(" \t\r\n");
    return first != std::string::npos && bytes[first] == '{' && bytes.find("\"escarp\"") != std::string::npos;
}

void check_target(
    const std::string& file, const std::vector<std::string>& endings, const std::vector<std::string>& reads) {
    std::string lower = file;
    std::transform(lower.begin(), lower.end(), lower.begin(), [](unsigned char c) { return std::tolower(c); });
    if (!endings.empty() &&
        std::none_of(endings.begin(), endings.end(), [&](const std::string& e) { return lower.ends_with("." + e); })) {
        std::string all;
        for (const std::string& e : endings) all += (all.empty() ? "*." : " or *.") + e;
        throw InputError(file, "A file " + all + " is expected; nothing was written.");
    }
    for (const std::string& read : reads)
        if (!read.empty() && same_file(file, read))
            throw InputError(file, "This is the file that is read; choose another name. Nothing was written.");
    struct stat info {};
    if (::stat(file.c_str(), &info) != 0) return;
    if (!S_ISREG(info.st_mode)) throw InputError(file, not_replaceable);
    const auto begin = beginning_of(real_path(file), enough_to_tell);
    if (!begin) return;
    if (lower.ends_with(".escarp") || begins_like_a_cell(*begin))
        throw InputError(file, "This is a cell; choose another name. Nothing was written.");
    // Who writes a record looks whether it is one that is replaced.
    if (begin->starts_with("SQLite format 3") && !lower.ends_with(".record"))
        throw InputError(file, "This is a database of results; choose another name. Nothing was written.");
}

int open_fresh(const std::string& file, std::string& name, bool for_others) {
    for (int attempt = 0; attempt < 20; ++attempt) {
        name = fresh_path(real_path(file)).string();
        const int fd =
            ::open(name.c_str(), O_RDWR | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, for_others ? 0666 : 0600);
        if (fd >= 0) return fd;
        if (errno != EEXIST) break;
    }
    fail(file, "The file cannot be written");
}

void write_file(const std::string& file, const std::string& bytes) {
    struct stat old {};
    const bool there = ::stat(file.c_str(), &old) == 0;
    if (there) {
        if (!S_ISREG(old.st_mode)) throw InputError(file, not_replaceable);
        if (old.st_nlink > 1) return write_in_place(file, bytes);
    }
    const std::string target = real_path(file);
    std::string fresh;
    Descriptor out(open_fresh(file, fresh, !there));
    const auto given_up = [&] {
        const int why = errno;
        ::unlink(fresh.c_str());
        errno = why;
        fail(file, not_written);
    };
    if (!put(out.get(), bytes)) given_up();
    if (there) {
        // Where the owner cannot be kept, the group may be; a mode that gives rights to others is set last, and only
        // with them: a private file is never open to others.
        const bool owner = ::fchown(out.get(), old.st_uid, old.st_gid) == 0,
                   group = owner || ::fchown(out.get(), static_cast<uid_t>(-1), old.st_gid) == 0;
        if (::fchmod(out.get(), old.st_mode & (owner ? 07777u : group ? 0777u : 0707u)) != 0) given_up();
    }
    if (::fsync(out.get()) != 0 || !out.close() || ::rename(fresh.c_str(), target.c_str()) != 0) given_up();
    flush_folder(target);
}

void remove_left_overs(const std::string& file, bool (*ours)(const std::string&)) {
    const std::filesystem::path target(real_path(file));
    std::error_code none;
    const std::filesystem::path folder = target.has_parent_path() ? target.parent_path() : ".";
    std::vector<std::string> found;
    for (std::filesystem::directory_iterator at(folder, none), end; !none && at != end; at.increment(none))
        if (is_fresh_name(at->path().filename().string(), target.filename().string()))
            found.push_back(at->path().string());
    for (const std::string& one : found) {
        const auto begin = beginning_of(one, enough_to_tell);
        if (!begin || (!begin->empty() && !ours(*begin))) continue;  // somebody else's
        struct stat info {};
        if (::lstat(one.c_str(), &info) != 0 || info.st_uid != ::geteuid()) continue;
        ::unlink(one.c_str());
    }
}

}  // namespace escarp::cell
