#pragma once
// The file that is open, and the journal beside it: every edit is on the disk before the window goes on.

#include <QFileSystemWatcher>
#include <QObject>
#include <memory>
#include <optional>

#include <cell/document/safe_file.h>
#include <cell/read/layout.h>
#include <cell/text/problem.h>

namespace escarp::desktop {

/// What is wrong, a line each; not more than a person reads.
QString told(const cell::InputError& e);

class KeptFile : public QObject {
    Q_OBJECT
public:
    explicit KeptFile(QObject* parent = nullptr);

    QString name() const { return file_; }  ///< empty: it has none yet
    /// Whether the file holds this.
    bool holds(const cell::Document& document) const { return document == saved_; }

    /// A document without a file.
    void begin(const cell::Document& document);
    /// What is in a file that makes sense (its baseline); nothing, and `refused` or what is `lost`, where it does not:
    /// then all stays as it was.
    std::optional<cell::Layout> open(const QString& file);
    /// The file that is open, as it is on the disk now.
    std::optional<cell::Document> read_again();
    bool save_as(const QString& file, const cell::Document& document, cell::MayReplace may);
    void write_down(const cell::Document& now, const QString& name);
    /// A drag comes back as it was last shown, too.
    void write_down_draft(const QString& variant, const cell::Edit& edit);
    void end_draft();
    void forget_journal() { safe_->forget(); }

    /// What the journal of a file that could not be opened holds, and why it could not; until it is taken or another
    /// one is opened.
    const std::optional<cell::Recovered>& lost() const { return lost_; }
    QString lost_why() const { return lost_why_; }
    std::optional<cell::Document> take_lost(const QString& file);
    /// What an interrupted session left of the file that was opened last, until it is taken or dropped.
    const std::optional<cell::Recovered>& left_over() const { return left_over_; }
    std::optional<cell::Document> take_left_over();
    std::optional<cell::Document> drop_left_over(const cell::Document& now);
    /// Puts a document that somebody drops where it can be brought back from.
    void keep_dropped(const cell::Document& dropped) const;

    bool changed_outside() const { return safe_->changed_outside(); }
    bool is_copy() const { return copy_; }
    QString unsafe() const { return unsafe_; }

Q_SIGNALS:
    void changed_by_others();
    void refused(const QString& title, const QString& text);

private:
    void take_care(const cell::Document& opened, const QString& unsafe);
    void watch(const QString& file);
    /// Writing that fails is said in `unsafe`.
    template <typename Write>
    void try_to(const Write& write) {
        try {
            write();
        } catch (const cell::InputError& e) {
            unsafe_ = told(e);
        }
    }

    QString file_;
    cell::Document saved_;
    std::unique_ptr<cell::SafeFile> safe_;
    std::optional<cell::Recovered> left_over_, lost_;
    QString lost_why_;
    bool copy_ = false;
    QString unsafe_;
    QFileSystemWatcher watcher_;
};

}  // namespace escarp::desktop
