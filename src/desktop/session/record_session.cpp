#include "record_session.h"

namespace escarp::desktop {

RecordSession::RecordSession(OpenCell& open, Results& results, QObject* parent)
    : QObject(parent),
      open_(open),
      results_(results),
      work_(
          this,
          [cache = results.cache()](const Question& q, const motion::StopFlag& stop) { return find(q, *cache, stop); },
          [this] {
              if (const QString why = work_.answer()->why; !why.isEmpty()) {
                  work_.forget();
                  Q_EMIT open_.refused(tr("The record is not shown"), why);
              } else {
                  show();
              }
              Q_EMIT changed();
          }) {
    connect(&results_, &Results::evaluated, this, &RecordSession::changed);
}

RecordSession::Known RecordSession::find(const Question& q, inspection::Cache& cache, const motion::StopFlag& stop) {
    Known known;
    try {
        const link::Record record = link::read_record(q.file.toStdString());
        if (record.about.content != q.layout.content()) {
            known.why =
                tr("It is of another cell (\"%1\", variant %2), or this one was changed since. Look at that "
                   "variant, or undo what was changed.")
                    .arg(QString::fromStdString(record.about.cell_name), QString::fromStdString(record.about.variant));
            return known;
        }
        const auto cell = q.layout.shared_cell();
        const auto run = link::run_again(record, *cell);
        motion::throw_if_stopped(&stop);
        known.compared = link::compare_with_computed(record, cell, run, cache, &stop);
        study::EvaluateOptions how;
        how.stop = &stop;
        known.judged = std::make_shared<const study::Judged>(study::judge_run(cell, run, cache, how));
        known.began = QString::fromStdString(record.about.began);
        known.ran_s = simulation::seconds(record.about.end);
        known.run = run;
    } catch (const cell::InputError& e) {
        known.why = told(e);
    }
    return known;
}

const RecordSession::Known* RecordSession::known() const { return work_.answer(); }

void RecordSession::open(const QString& file) {
    work_.forget();
    work_.ask({file, open_.layout()});
    Q_EMIT changed();
}

void RecordSession::show() {
    if (known() && work_.asked()->layout.content() == open_.layout().content())
        results_.look_at_run(known()->run, name(), known()->judged);
}

void RecordSession::leave() {
    const bool was_shown = shown();
    work_.forget();
    if (was_shown) results_.leave_run();
    Q_EMIT changed();
}

}  // namespace escarp::desktop
