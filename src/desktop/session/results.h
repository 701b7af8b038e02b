#pragma once
// The newest figures of every variant, as they come.

#include <QStringList>

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
    /// the figures that are known stay until newer ones come.
    void ask(std::vector<cell::Layout> layouts, const QStringList& variants);

    /// The newest of a variant, perhaps of an older document; null where there is none yet. Where the variant was not
    /// looked at when it came, without the run's history: for what is compared.
    std::shared_ptr<const study::Evaluation> of(const QString& variant) const;
    /// Of the variant looked at, with its whole run; null until there is one.
    std::shared_ptr<const study::Evaluation> shown() const;
    QString error_of(const QString& variant) const;
    bool current(const QString& variant) const;
    double took_ms() const { return took_ms_; }
    double end_time() const;  ///< of the run that is shown, s
    const std::shared_ptr<inspection::Cache>& cache() const { return cache_; }

    /// Another run of the variant looked at, under a name, is shown in place of its own (null: no longer). False:
    /// nothing changed. `judged`: figures and findings of that run itself; without them those of the own run stay.
    bool look_at_run(std::shared_ptr<const simulation::Run> run, const QString& name,
        const std::shared_ptr<const study::Judged>& judged = nullptr);
    QString other_run() const { return other_run_ ? other_name_ : QString(); }
    /// That one with its own figures; null where it has none.
    std::shared_ptr<const study::Evaluation> other_judged() const { return other_is_judged_ ? other_run_ : nullptr; }

    /// Signals held at a value from the next evaluation on. False: nothing changed.
    const std::map<std::string, double>& forced() const { return forced_; }
    bool force(const std::string& signal, std::optional<double> value);
    bool let_go_forced();

Q_SIGNALS:
    void came(bool zones_alone);

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
    std::shared_ptr<inspection::Cache> cache_;
    Evaluator evaluator_;
};

}  // namespace escarp::desktop
