#pragma once
// What the window is about: the document with its undo list, the variant looked at, the newest evaluation, the
// selection and the instant shown. Views read it and ask it for changes; they hold nothing of their own.

#include <QObject>
#include <QSet>
#include <QTimer>
#include <map>

#include <desktop/looks/plan_drawing.h>
#include <study/gains.h>

#include "kept_file.h"
#include "playhead.h"
#include "results.h"
#include "surfaces.h"
#include "undo_history.h"

namespace escarp::desktop {

struct Selection {
    QString device, step;  ///< ids; empty: nothing
    bool operator==(const Selection&) const = default;
};

/// How the selected arm is moved by hand: in whose directions, by what steps, and what else is shown.
struct ByHand {
    enum class Frame { world, base, tool, joint };
    bool on = false;       ///< the views have handles for it
    bool picking = false;  ///< the next click in the Model says where the tool goes
    Frame frame = Frame::world;
    double mm = 10, deg = 5;
    bool operator==(const ByHand&) const = default;
};

/// What the drawings show besides the devices.
struct Shown {
    bool names = true, frames = false, dimensions = true, reach = true, base = false, helpers = true,
         model_names = false, zones = true, nearness = false, swept = false;
    std::optional<double> height = {};  ///< m: that reach and swept space are shown at; none: where the arm works
    static Shown nothing() { return {false, false, false, false, false, false, false, false, false, false}; }
    bool operator==(const Shown&) const = default;
};

class Workspace : public QObject {
    Q_OBJECT
public:
    explicit Workspace(
        std::shared_ptr<inspection::Cache> cache = std::make_shared<inspection::Cache>(), QObject* parent = nullptr);

    // Document
    const cell::Document& document() const { return document_; }
    /// With the edit being tried, if any.
    const cell::Document& shown_document() const { return draft_ ? *draft_ : document_; }
    /// The variant looked at, as it is drawn now (a draft included); never null.
    std::shared_ptr<const cell::Cell> cell() const { return cell_; }
    /// The variant looked at: of the document, and as it is drawn now.
    const cell::Layout& layout() const { return layout_; }
    const cell::Layout& drawn() const { return drawn_; }
    const cell::json& resolved() const { return drawn_.tree(); }
    QString file() const { return file_.name(); }
    bool modified() const { return !file_.holds(document_); }

    void start_new();
    bool open(const QString& file);  ///< false, and `refused` with the reasons, when it cannot be read
    bool save_as(const QString& file, cell::MayReplace may = {});
    /// What the journal of a file that could not be opened holds, and why it could not; until it is taken or another
    /// one is opened.
    const std::optional<cell::Recovered>& lost() const { return file_.lost(); }
    QString lost_why() const { return file_.lost_why(); }
    void take_lost(const QString& file);
    /// What an interrupted session left of the file that was opened last, until it is taken or dropped.
    const std::optional<cell::Recovered>& left_over() const { return file_.left_over(); }
    void take_left_over();
    void drop_left_over();
    /// Goes on with a document that never had a file.
    void take_unsaved(const cell::Recovered& found);
    /// Another program has changed the file since it was opened or saved here.
    bool changed_outside() const { return file_.changed_outside(); }
    /// Another window held the file: this is a copy, to be saved under another name.
    bool is_copy() const { return file_.is_copy(); }
    /// Why edits cannot be written down as they are made; empty: they are.
    QString unsafe() const { return file_.unsafe(); }
    void forget_journal() { file_.forget_journal(); }  ///< the engineer leaves without saving
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
    bool try_out(const cell::Edit& edit, bool preview = false);
    /// The same while a number is being typed or a device dragged: what makes no sense is left out without a word.
    bool try_quietly(const cell::Edit& edit);
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

    // Results
    /// Of the variant looked at, with its whole run; null until there is one.
    std::shared_ptr<const study::Evaluation> evaluation() const { return results_.shown(); }
    /// What evaluations have in common.
    std::shared_ptr<inspection::Cache> cache() const { return results_.cache(); }
    /// The newest for a variant, perhaps of an older document; null if there is none yet. Where the variant was not
    /// looked at when it came, without the run's history: for what is compared.
    std::shared_ptr<const study::Evaluation> evaluation_of(const QString& variant) const {
        return results_.of(variant);
    }
    QString error_of(const QString& variant) const { return results_.error_of(variant); }
    /// The zones of the variant looked at; null while they are being found.
    std::shared_ptr<const inspection::Zones> zones() const;
    bool current() const { return current_of(variant_); }
    bool current_of(const QString& variant) const { return results_.current(variant); }
    /// Nothing that was asked for is still to come: the figures of what is shown (or of every variant, unless something
    /// is tried), and word of them.
    bool settled(bool every_variant) const;
    double took_ms() const { return results_.took_ms(); }

    /// Another run of the variant looked at, under a name, is shown instead of its own: the figures stay. Until it is
    /// left, the cell is edited, or another variant is looked at.
    /// `judged`: figures and findings of that run itself, which are shown then, too.
    void look_at_run(std::shared_ptr<const simulation::Run> run, const QString& name,
        const std::shared_ptr<const study::Judged>& judged = nullptr);
    void leave_run() { look_at_run(nullptr, {}); }
    QString other_run() const { return results_.other_run(); }  ///< empty: its own is shown
    std::shared_ptr<const study::Evaluation> other_judged() const { return results_.other_judged(); }

    // While looking: signals that are held at a value (never part of the document), and those with a lane of their own.
    const std::map<std::string, double>& forced() const { return results_.forced(); }
    void force(const std::string& signal, std::optional<double> value);  ///< nothing: it is let go
    void let_go_forced();
    const QStringList& signal_lanes() const { return signal_lanes_; }  ///< full names
    void show_signal_lane(const QString& signal, bool on);

    /// What it is worth to make a step or a key quicker, found for a cell; nothing once that has changed.
    void set_gains(const std::string& content, const study::Gains& gains);
    const study::Gain* gain_of(const std::string& path) const;

    const Surfaces& surfaces() const { return surfaces_; }

    // Selection and time
    const Selection& selection() const { return selection_; }
    void select(const QString& device, const QString& step = {});
    /// Several; the first is the one whose numbers are shown.
    void select_devices(const QStringList& devices);
    void toggle(const QString& device);
    /// All that is selected, the one of `selection()` first.
    QStringList selected() const;
    bool is_selected(const std::string& device) const;
    std::vector<int> selected_indexes() const;
    /// A device with those of its group.
    QStringList group_of(const QString& device) const;

    // An arm that is jogged is shown there until the time is moved or it is let go.
    const Posed* posed() const { return posed_ ? &*posed_ : nullptr; }
    int pose_count() const { return pose_count_; }  ///< changes whenever `posed` does
    void pose(const std::string& device, const kinematics::JointVector& q);
    void let_go();
    /// Joint values of an arm as it is drawn now.
    kinematics::JointVector joints(int device) const {
        return joints_at(*cell_, device, evaluation().get(), time(), posed());
    }

    const ByHand& by_hand() const { return by_hand_; }
    void set_by_hand(const ByHand& by_hand);
    /// The selected arm, if it is moved by hand in the views; -1: none.
    int arm_by_hand() const;
    /// Moves that arm so that its tool frame comes to `tool` (world). False, and `hand_stopped` with the reason, where
    /// it cannot. `leaps`: another joint solution will do, too.
    bool bring_tool(const geometry::Frame& tool, bool leaps);
    geometry::Frame tool_by_hand() const;  ///< of that arm, in the world
    /// Further joint values of an arm that are shown, faintly.
    void set_ghosts(const std::string& device, std::vector<kinematics::JointVector> ghosts);
    const std::vector<kinematics::JointVector>& ghosts_of(const std::string& device) const;

    // What is drawn. Hidden devices are still checked.
    const Shown& shown() const { return shown_; }
    /// The two points that come nearest at the time shown, where that is looked at.
    const inspection::LeastClearance* nearest() const { return nearest_ ? &*nearest_ : nullptr; }
    void set_nearest(const inspection::LeastClearance* nearest);
    void set_shown(const Shown& shown);
    bool hidden(const std::string& device) const { return hidden_.contains(QString::fromStdString(device)); }
    const QSet<QString>& hidden() const { return hidden_; }
    void set_hidden(const QSet<QString>& devices);

    double time() const { return playhead_.time(); }
    void set_time(double seconds) { playhead_.set_time(seconds, end_time()); }
    double end_time() const { return results_.end_time(); }
    bool playing() const { return playhead_.playing(); }
    void play(bool on) { playhead_.play(on, end_time()); }
    double speed() const { return playhead_.speed(); }
    void set_speed(double speed) { playhead_.set_speed(speed); }
    void step_event(int direction);  ///< to the next or previous beginning or end of a block

Q_SIGNALS:
    void document_changed();  ///< also for drafts
    void evaluated();         ///< figures of some variant, or their being out of date
    void zones_found();       ///< of the variant looked at, after its figures
    void selection_changed();
    void shown_changed();
    void file_changed_outside();
    void time_changed();
    void nearest_changed();
    void posed_changed();
    void by_hand_changed();
    void ghosts_changed();
    void hand_stopped(const QString& why);  ///< empty: it went on
    void forced_changed();
    void lanes_changed();
    void gains_found();
    void wants_to_vary(const QString& path);  ///< in a study
    void picked(const escarp::geometry::Vector3& point, const escarp::geometry::Vector3& outward);
    void playing_changed();
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

    cell::Document document_;
    KeptFile file_;
    Results results_;
    cell::Layout layout_, drawn_;  ///< of the document; of the draft, if there is one
    std::optional<cell::Document> draft_;
    cell::Edit draft_edit_;
    bool preview_ = false;
    std::shared_ptr<const cell::Cell> cell_;
    UndoHistory history_;
    QString variant_;
    std::optional<inspection::LeastClearance> nearest_;
    std::string gains_of_;  ///< see cell::Layout::content
    std::map<std::string, study::Gain> gains_;
    QStringList signal_lanes_;
    Selection selection_;
    QStringList also_;
    Shown shown_;
    QSet<QString> hidden_;
    std::map<std::string, cell::json> altered_;
    Surfaces surfaces_;
    Playhead playhead_;
    std::optional<Posed> posed_;
    ByHand by_hand_;
    std::string ghosts_for_;
    std::vector<kinematics::JointVector> ghosts_;
    int pose_count_ = 0;
    QTimer told_soon_;
};

}  // namespace escarp::desktop
