#pragma once
// The cell that is open: its document with the undo list and the file, an edit that is being tried, the variant that is
// looked at, and the cell as it is drawn now. Edits go through it.

#include <QObject>
#include <map>

#include <simulation/kinds.h>

#include "kept_file.h"
#include "results.h"
#include "surfaces.h"
#include "undo_history.h"

namespace escarp::desktop {

class OpenCell : public QObject {
    Q_OBJECT
public:
    /// `results`: where the figures of every edit are asked for. Begins with an empty floor.
    explicit OpenCell(Results& results, QObject* parent = nullptr);

    const cell::Document& document() const { return document_; }
    /// With the edit being tried, if any.
    const cell::Document& shown_document() const { return draft_ ? *draft_ : document_; }
    /// The variant looked at, as it is drawn now (a draft included); never null.
    std::shared_ptr<const cell::Cell> cell() const { return cell_; }
    /// The variant looked at: of the document, and as it is drawn now.
    const cell::Layout& layout() const { return layout_; }
    const cell::Layout& drawn() const { return drawn_; }
    const cell::json& resolved() const { return drawn_.tree(); }
    const Surfaces& surfaces() const { return surfaces_; }

    // The file
    const KeptFile& kept() const { return file_; }
    QString file() const { return file_.name(); }  ///< empty: it has none yet
    bool modified() const { return !file_.holds(document_); }
    void start_new();
    bool open(const QString& file);  ///< false, and `refused` with the reasons, when it cannot be read
    bool save_as(const QString& file, cell::MayReplace may = {});
    /// Of a file that could not be opened: what its journal holds (see KeptFile::lost).
    void take_lost(const QString& file);
    /// What an interrupted session left of the file that was opened last (see KeptFile::left_over).
    void take_left_over();
    void drop_left_over();
    /// Goes on with a document that never had a file.
    void take_unsaved(const cell::Recovered& found);
    void forget_journal() { file_.forget_journal(); }  ///< the engineer leaves without saving

    // Edits
    /// False, and `refused`, when the cell would not make sense; nothing is changed then.
    bool apply(const cell::Edit& edit);
    /// The same for changes of the variants themselves.
    bool replace(const cell::Document& next, const QString& name);
    const UndoHistory& history() const { return history_; }
    bool can_undo() const { return history_.depth() > 0; }
    bool can_redo() const { return history_.redo_depth() > 0; }
    void undo() { go_back(1); }
    void redo() { go_back(-1); }
    /// Undoes so many edits in one go; below 0: does so many again.
    void go_back(int edits);

    // An edit that is being tried: shown and evaluated, but not in the document.
    /// `preview`: a way out that the engineer looks at, to be taken or left; else a drag.
    bool try_out(const cell::Edit& edit, bool preview = false) { return try_edit(edit, preview, false); }
    /// The same while a number is being typed or a device dragged: what makes no sense is left out without a word.
    bool try_quietly(const cell::Edit& edit) { return try_edit(edit, false, true); }
    void take_draft();
    void drop_draft();
    bool trying() const { return draft_.has_value(); }
    bool previewing() const { return trying() && preview_; }
    QString draft_name() const { return trying() ? QString::fromStdString(draft_edit_.name) : QString(); }

    // Variants
    QString variant() const { return variant_; }
    void set_variant(const QString& id);
    QString variant_name(const QString& id) const;
    /// What the variant looked at alters: path of the value, and the baseline's value (null: it has none).
    const std::map<std::string, cell::json>& altered() const { return altered_; }

Q_SIGNALS:
    void begins();            ///< with another document; of the one before nothing is left
    void document_changed();  ///< also for drafts
    void renewed();           ///< after that, and after everybody knows what figures there are
    void begun();             ///< the other document is there
    void file_changed_outside();
    void wants_to_vary(const QString& path);  ///< in a study
    void refused(const QString& title, const QString& text);

private:
    void set_document(const cell::Document& document, std::optional<cell::Layout> known = std::nullopt);
    /// `known`: what is drawn from now on, where it was read already.
    void renew(std::optional<cell::Layout> known = std::nullopt);
    void find_altered();
    void begin(const cell::Document& document, std::optional<cell::Layout> known = std::nullopt);
    bool read_again();
    /// The variant looked at (the baseline where it is gone), if it makes sense; else `why` not.
    std::optional<cell::Layout> sense(const cell::Document& document, QString& why) const;
    bool try_edit(const cell::Edit& edit, bool preview, bool quiet);

    Results& results_;
    cell::Document document_;
    KeptFile file_;
    cell::Layout layout_, drawn_;  ///< of the document; of the draft, if there is one
    std::optional<cell::Document> draft_;
    cell::Edit draft_edit_;
    bool preview_ = false;
    std::shared_ptr<const cell::Cell> cell_;
    UndoHistory history_;
    QString variant_;
    std::map<std::string, cell::json> altered_;
    Surfaces surfaces_;
};

}  // namespace escarp::desktop
