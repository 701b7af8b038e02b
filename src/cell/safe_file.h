#pragma once
// A document's home on disk. Every edit is written to a journal beside the file before it counts as made, so that whatever ends
// the program, the next start finds exactly what was there; a lock keeps two windows from writing one file.

#include <optional>

#include "document.h"

namespace escarp::cell {

/// What a journal that nobody holds tells.
struct Recovered {
    std::string journal;           ///< its path
    std::string file;              ///< the cell's file; empty: it had none yet
    Document document;
    int edits = 0;                 ///< made since it was last saved
    std::string last_edit;         ///< its name
};

class SafeFile {
public:
    /// `room`: folder for the journals of documents without a file (made when first needed).
    explicit SafeFile(std::string room);
    ~SafeFile();  ///< lets go of the lock; a journal with unsaved edits stays
    SafeFile(const SafeFile&) = delete;
    SafeFile& operator=(const SafeFile&) = delete;

    /// Takes hold of a file's journal. False when another program holds it. What a crash left in it is kept until `begin`.
    bool hold(const std::string& file);
    /// What the journal of the file held has to offer beyond `on_disk`.
    std::optional<Recovered> left_over(const Document& on_disk) const;
    /// From here on `now` is the state that edits follow; `saved`: the file holds the same.
    void begin(const Document& now, bool saved);
    /// For a document without a file.
    void begin_unsaved(const Document& now);

    /// Writes down that the document is now this. When it returns the edit survives the end of the program.
    /// Throws InputError when it cannot be written (a full disk): the edit is then not safe.
    void acknowledge(const Document& now, const std::string& name);
    /// Writes the file and starts the journal anew. Throws InputError; nothing is lost then.
    void save(const Document& now);
    /// Lets go of it all and throws the journal away: the engineer left on purpose.
    void forget();

    const std::string& file() const { return file_; }
    /// Another program has changed the file since it was read or written here.
    bool changed_outside() const;

    /// Folder for journals of documents without a file (XDG base directories: under XDG_STATE_HOME).
    static std::string usual_room();
    /// Journals in the room that nobody holds.
    static std::vector<Recovered> unsaved_in(const std::string& room);
    static std::optional<Recovered> read_journal(const std::string& journal);

private:
    struct Stamp {
        long long size = -1, seconds = 0, nanoseconds = 0;
        unsigned long long inode = 0;
        bool operator==(const Stamp&) const = default;
    };
    static Stamp stamp_of(const std::string& file);
    void restart(const Document& now, bool saved);
    void append(const json& record);

    std::string room_, file_, journal_;
    int lock_ = -1;  ///< file descriptor of the journal, locked
    Document last_;
    Stamp stamp_;
    bool dirty_ = false;
};

}  // namespace escarp::cell
