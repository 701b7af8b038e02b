#pragma once
// A record of a live run: run again behind the window, shown in place of the computed run, and compared with it.

#include <link/record_compare.h>

#include "background.h"
#include "open_cell.h"

namespace escarp::desktop {

class RecordSession : public QObject {
    Q_OBJECT
public:
    RecordSession(OpenCell& open, Results& results, QObject* parent = nullptr);
    /// `refused` with the reason, then, where it is no record or one of another cell.
    void open(const QString& file);
    /// The computed run again.
    void leave();
    bool working() const { return work_.asked() && !work_.answer(); }
    struct Known {
        QString began;
        double ran_s = 0;
        link::RecordComparison compared;
        std::shared_ptr<const simulation::Run> run;  ///< null: `why` not
        std::shared_ptr<const study::Judged> judged;
        QString why;
    };
    /// Null until it is there.
    const Known* known() const;
    /// It is what the views show.
    bool shown() const { return known() && results_.other_run() == name(); }
    void show();

Q_SIGNALS:
    void changed();

private:
    struct Question {
        QString file;
        cell::Layout layout;
        bool operator==(const Question& o) const { return file == o.file && layout.content() == o.layout.content(); }
    };
    static Known find(const Question& question, inspection::Cache& cache, const motion::StopFlag& stop);
    QString name() const { return tr("record of %1").arg(known()->began); }

    OpenCell& open_;
    Results& results_;
    Background<Question, Known> work_;
};

}  // namespace escarp::desktop
