#pragma once
// A cell that a command changes: locked before it is read, written only where nobody else has written it meanwhile.

#include <cell/document/safe_file.h>

#include "command.h"

namespace escarp::cli {

/// Why a variant is no cell; empty where it is one.
std::vector<cell::Problem> problems_of(const cell::Document& document, const std::string& variant);

class HeldCell {
public:
    /// Throws InputError where another program holds the cell, and where an interrupted session left edits that nobody
    /// has decided about.
    explicit HeldCell(Arguments& a);
    const cell::Document& document() const { return document_; }
    /// The edit survives whatever happens to the program from here on. Throws InputError where the cell would not be
    /// one any more, in any variant that was one before; nothing has changed then.
    void edit(const cell::Document& next, const std::string& name);
    /// Throws InputError where the file was changed meanwhile or cannot be written; the edits stay in its journal then.
    void save();
    bool saved() const { return saved_; }

private:
    void check(const cell::Document& next) const;
    cell::SafeFile safe_;
    cell::Document document_;
    std::string variant_;
    bool saved_ = true;
};

}  // namespace escarp::cli
