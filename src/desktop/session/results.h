#pragma once
// The newest figures of every variant, as they come; another run that is looked at in place of its own; signals that
// are held at a value; what a second is worth.

#include <QStringList>
#include <QTimer>
#include <map>

#include <study/gains.h>

#include "evaluator.h"

namespace escarp::desktop {

class Results : public QObject {
    Q_OBJECT
public:
    /// `cache`: what evaluations have in common. Of another document it is kept, too: reading a file again, or one that
    /// began as a copy, finds what is the same in it.
    explicit Results(std::shared_ptr<inspection::Cache> cache, QObject* parent = nullptr);

    /// Another document: nothing is known of it yet.
    void forget() { found_.clear(), forced_.clear(), other_run_ = nullptr; }
    /// The document is another one. `layouts`: what is evaluated, first the variant looked at. Of those in `variants`
    /// the figures that are known stay until newer ones come. `dragging`: the next is asked soon; figures need not be
    /// told at each frame.
    void ask(std::vector<cell::Layout> layouts, const QStringList& variants, bool dragging);
    /// Says `evaluated`, now or soon.
    void tell();
    bool to_be_told() const { return soon_.isActive(); }

    /// The newest of a variant, perhaps of an older document; null where there is none yet. Where the variant was not
    /// looked at when it came, without the run's history: for what is compared.
    std::shared_ptr<const study::Evaluation> of(const QString& variant) const;
    /// Of the variant looked at, with its whole run; null until there is one.
    std::shared_ptr<const study::Evaluation> shown() const;
    QString error_of(const QString& variant) const;
    bool current(const QString& variant) const;
    bool current() const { return current(looked_at_); }
    /// The zones of the variant looked at; null while they are being found.
    std::shared_ptr<const inspection::Zones> zones() const;
    double took_ms() const { return took_ms_; }
    double end_time() const;  ///< of the run that is shown, s
    const std::shared_ptr<inspection::Cache>& cache() const { return cache_; }

    /// Another run of the variant looked at, under a name, is shown in place of its own, until it is left, the cell is
    /// edited, or another variant is looked at. `judged`: figures and findings of that run itself; without them those
    /// of the own run stay.
    void look_at_run(std::shared_ptr<const simulation::Run> run, const QString& name,
        const std::shared_ptr<const study::Judged>& judged = nullptr);
    void leave_run() { look_at_run(nullptr, {}); }
    QString other_run() const { return other_run_ ? other_name_ : QString(); }  ///< empty: its own is shown
    /// That one with its own figures; null where it has none.
    std::shared_ptr<const study::Evaluation> other_judged() const { return other_is_judged_ ? other_run_ : nullptr; }

    /// Signals that are held at a value while one looks (never part of the document).
    const std::map<std::string, double>& forced() const { return forced_; }
    void force(const std::string& signal, std::optional<double> value);  ///< nothing: it is let go
    void let_go_forced();

    /// What it is worth to make a step or a key quicker, found for a layout (see cell::Layout::content).
    void set_gains(const std::string& content, const study::Gains& gains);
    /// Null where it is not known of this layout.
    const study::Gain* gain_of(const std::string& path, const cell::Layout& layout) const;

Q_SIGNALS:
    void came();         ///< at once
    void evaluated();    ///< figures of some variant, or their being out of date; not at each frame of a drag
    void zones_found();  ///< of the variant looked at, after its figures
    void other_run_shown(bool goes_on);  ///< or left; goes_on: it is the one from before, grown
    void forced_changed();
    void gains_found();

private:
    struct Found {
        std::shared_ptr<const study::Evaluation> evaluation;
        QString error;
        std::uint64_t edit = 0;
        bool whole = true;                     ///< with the run's history
        std::map<std::string, double> forced;  ///< signals that were held
    };
    void take(const Evaluated& result);

    QString looked_at_;  ///< variant
    std::uint64_t edit_ = 0;
    std::map<QString, Found> found_;
    std::shared_ptr<const study::Evaluation> other_run_;
    QString other_name_;
    bool other_is_judged_ = false;
    double took_ms_ = 0;
    std::map<std::string, double> forced_;
    std::string gains_of_;
    std::map<std::string, study::Gain> gains_;
    bool dragging_ = false;
    QTimer soon_;
    std::shared_ptr<inspection::Cache> cache_;
    Evaluator evaluator_;
};

}  // namespace escarp::desktop
