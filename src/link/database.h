#pragma once
// SQLite, as records need it.

#include <sqlite3.h>
#include <cstdint>
#include <string>

#include <cell/text/problem.h>
#include <study/passive.h>

namespace escarp::link {

/// A database, with what goes wrong said in words.
class Database {
public:
    Database(std::string file, bool write) : file_(std::move(file)) {
        const int how =
            (write ? SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE : SQLITE_OPEN_READONLY) | SQLITE_OPEN_FULLMUTEX;
        if (sqlite3_open_v2(file_.c_str(), &handle_, how, nullptr) != SQLITE_OK) fail();
        sqlite3_busy_timeout(handle_, 2000);
        study::keep_passive(handle_);
        sqlite3_limit(handle_, SQLITE_LIMIT_LENGTH, 1 << 28);  // a cell with its geometry
    }
    ~Database() { sqlite3_close(handle_); }
    Database(const Database&) = delete;
    sqlite3* handle() const { return handle_; }
    const std::string& file() const { return file_; }

    [[noreturn]] void fail() const {
        const int code = sqlite3_errcode(handle_) & 0xff;
        if (code == SQLITE_FULL || code == SQLITE_IOERR)
            throw cell::InputError(file_, "The disk is full or cannot be written; what was recorded before is kept.");
        if (code == SQLITE_BUSY || code == SQLITE_LOCKED)
            throw cell::InputError(file_, "Another program is writing into it; wait until it is done.");
        if (code == SQLITE_CANTOPEN || code == SQLITE_READONLY || code == SQLITE_PERM)
            throw cell::InputError(
                file_, "It cannot be opened; a file that can be read, in a folder that can be written, is expected.");
        throw cell::InputError(file_, "This is no record of a live run, or it is damaged.");
    }
    void run(const char* words) const {
        if (sqlite3_exec(handle_, words, nullptr, nullptr, nullptr) != SQLITE_OK) fail();
    }

private:
    const std::string file_;
    sqlite3* handle_ = nullptr;
};

/// A prepared statement.
class Statement {
public:
    Statement(const Database& database, const char* words) : database_(database) {
        if (sqlite3_prepare_v2(database.handle(), words, -1, &statement_, nullptr) != SQLITE_OK) database.fail();
    }
    ~Statement() { sqlite3_finalize(statement_); }
    Statement(const Statement&) = delete;
    template <typename... Values>
    void put(const Values&... values) {
        sqlite3_reset(statement_);
        int n = 0;
        (bind(++n, values), ...);
        if (sqlite3_step(statement_) != SQLITE_DONE) database_.fail();
    }
    bool row() {
        const int code = sqlite3_step(statement_);
        if (code != SQLITE_ROW && code != SQLITE_DONE) database_.fail();
        return code == SQLITE_ROW;
    }
    std::int64_t whole(int column) const { return sqlite3_column_int64(statement_, column); }
    double number(int column) const { return sqlite3_column_double(statement_, column); }
    std::string text(int column) const {
        const auto* bytes = reinterpret_cast<const char*>(sqlite3_column_text(statement_, column));
        return bytes ? std::string(bytes, static_cast<std::size_t>(sqlite3_column_bytes(statement_, column))) : "";
    }

private:
    void bind(int n, std::int64_t v) { sqlite3_bind_int64(statement_, n, v); }
    void bind(int n, int v) { sqlite3_bind_int64(statement_, n, v); }
    void bind(int n, double v) { sqlite3_bind_double(statement_, n, v); }
    void bind(int n, const std::string& v) {
        sqlite3_bind_text(statement_, n, v.c_str(), static_cast<int>(v.size()), SQLITE_TRANSIENT);
    }
    const Database& database_;
    sqlite3_stmt* statement_ = nullptr;
};

}  // namespace escarp::link
