#include "disk.h"

#include <fcntl.h>
#include <limits.h>
#include <sys/stat.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <cstring>
#include <filesystem>
#include <utility>

#include "problem.h"

namespace escarp::cell {
namespace {

constexpr const char* fresh_mark = ".new-";

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

std::string fresh_name(const std::string& file) { return real_path(file) + fresh_mark + std::to_string(::getpid()); }

void write_file(const std::string& file, const std::string& bytes) {
    struct stat old {};
    const bool there = ::stat(file.c_str(), &old) == 0;
    if (there) {
        if (!S_ISREG(old.st_mode)) throw InputError(file, not_replaceable);
        if (old.st_nlink > 1) return write_in_place(file, bytes);
    }
    const std::string fresh = fresh_name(file);
    Descriptor out(::open(fresh.c_str(), O_WRONLY | O_CREAT | O_TRUNC | O_CLOEXEC,
        there ? 0600 : 0666));  // its mode comes when it is whole: a private file is never open to others
    if (!out) fail(file, "The file cannot be written");
    if (!put(out.get(), bytes) || !out.close()) {
        const int why = errno;
        ::unlink(fresh.c_str());
        errno = why;
        fail(file, not_written);
    }
    take_place(fresh, file);
}

void take_place(const std::string& fresh, const std::string& file) {
    const std::string target = real_path(file);
    const auto given_up = [&] {
        const int why = errno;
        ::unlink(fresh.c_str());
        errno = why;
        fail(file, not_written);
    };
    Descriptor out(::open(fresh.c_str(), O_WRONLY | O_CLOEXEC));
    if (!out) given_up();
    struct stat old {};
    if (::stat(target.c_str(), &old) == 0) {
        if (!S_ISREG(old.st_mode)) {
            ::unlink(fresh.c_str());
            throw InputError(file, not_replaceable);
        }
        // Where the owner cannot be kept, the group may be; a mode that gives rights to others is set last, and only
        // with them.
        const bool owner = ::fchown(out.get(), old.st_uid, old.st_gid) == 0,
                   group = owner || ::fchown(out.get(), static_cast<uid_t>(-1), old.st_gid) == 0;
        if (::fchmod(out.get(), old.st_mode & (owner ? 07777u : group ? 0777u : 0707u)) != 0) given_up();
    }
    if (::fsync(out.get()) != 0 || !out.close() || ::rename(fresh.c_str(), target.c_str()) != 0) given_up();
    flush_folder(target);
}

void remove_left_overs(const std::string& file) {
    const std::filesystem::path target(real_path(file));
    const std::string begin = target.filename().string() + fresh_mark;
    std::error_code none;
    const std::filesystem::path folder = target.has_parent_path() ? target.parent_path() : ".";
    for (std::filesystem::directory_iterator at(folder, none), end; !none && at != end; at.increment(none)) {
        const std::string name = at->path().filename().string();
        if (!name.starts_with(begin) || name.size() == begin.size()) continue;
        if (std::all_of(name.begin() + static_cast<std::ptrdiff_t>(begin.size()), name.end(),
                [](unsigned char c) { return std::isdigit(c) != 0; }))
            ::unlink(at->path().c_str());
    }
}

}  // namespace escarp::cell
