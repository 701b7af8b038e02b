#pragma once
// A document's home on disk. Every edit is written to a journal beside the file before it counts as made, so that
// whatever ends the program, the next start finds exactly what was there; a lock keeps two windows from writing one
// file.

#include <optional>

#include "document.h"

namespace escarp::cell {

/// What a save may replace; without it a save refuses, and says why.
struct MayReplace {
    bool changes = false;    ///< what another program has written since the file was read or written here
    bool read_only = false;  ///< a file that nobody may write
};

/// What a journal that nobody holds tells.
struct Recovered {
    std::string journal;  ///< its path
    std::string file;     ///< the cell's file; empty: it had none yet
    Document document;
    int edits = 0;          ///< made since it was last saved
    std::string last_edit;  ///< its name
    std::optional<Document> before_edits =
        std::nullopt;  ///< what the file held when they were made, as far as is known
};

class SafeFile {
public:
    /// `room`: folder for the journals of documents without a file (made when first needed).
    explicit SafeFile(std::string room);
    ~SafeFile();  ///< lets go of the lock; a journal with unsaved edits stays
    SafeFile(const SafeFile&) = delete;
    SafeFile& operator=(const SafeFile&) = delete;

    /// Takes hold of a file's journal; the file is read after that. False when another program holds it. What a crash
    /// left in the journal is kept until `begin`; half-written files that it left are removed.
    bool hold(const std::string& file);
    /// What the journal of the file held has to offer beyond `on_disk`.
    std::optional<Recovered> left_over(const Document& on_disk) const;
    /// All that it has, for a file that is gone or cannot be read.
    std::optional<Recovered> left_of_lost() const { return read_journal(journal_, true); }
    /// The file is about to be read again: what it holds now is known from here on.
    void read_again() { stamp_ = stamp_of(file_); }
    /// From here on `now` is the state that edits follow; `saved`: the file holds the same.
    void begin(const Document& now, bool saved);
    /// For a document without a file.
    void begin_unsaved(const Document& now);

    /// Writes down that the document is now this. When it returns the edit survives the end of the program.
    /// Throws InputError when it cannot be written (a full disk): the edit is then not safe.
    void acknowledge(const Document& now, const std::string& name);
    /// Writes down what is being tried out (a drag that has not ended), so that it comes back as it was last shown.
    /// Another one replaces it, an edit that is acknowledged ends it, `end_draft` takes it back. Throws like
    /// `acknowledge`.
    void draft(const std::string& variant, const Edit& edit);
    void end_draft();
    /// Writes the file and starts the journal anew. Throws InputError; nothing is lost then.
    void save(const Document& now, MayReplace may = {});
    /// Lets go of it all and throws the journal away: the engineer left on purpose.
    void forget();

    const std::string& file() const { return file_; }
    /// Another program has changed the file since it was read or written here.
    bool changed_outside() const;

    /// Folder for journals of documents without a file (XDG base directories: under XDG_STATE_HOME).
    static std::string usual_room();
    /// Journals in the room that nobody holds.
    static std::vector<Recovered> unsaved_in(const std::string& room);
    /// `also_saved`: also one without edits since the last save.
    static std::optional<Recovered> read_journal(const std::string& journal, bool also_saved = false);
    /// Keeps a document that somebody decided to drop, in case it was the wrong decision: the file's path, nothing if
    /// it cannot be written. The last 20 are kept.
    static std::string keep_dropped(const std::string& room, const Document& dropped);

private:
    struct Stamp {
        long long size = -1, seconds = 0, nanoseconds = 0;
        unsigned long long inode = 0;
        bool operator==(const Stamp&) const = default;
    };
    static Stamp stamp_of(const std::string& file);
    void restart(const Document& now, bool saved);
    void append(const json& record);
    void make_journal();  ///< of a document without a file

    std::string room_, file_, journal_;
    int lock_ = -1;  ///< file descriptor of the journal, locked
    Document last_;
    Stamp stamp_;
    bool dirty_ = false, drafting_ = false;
    std::size_t written_ = 0;  ///< bytes of the journal
};

}  // namespace escarp::cell
