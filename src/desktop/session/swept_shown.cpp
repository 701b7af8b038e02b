#include "swept_shown.h"

#include <cell/text/problem.h>

namespace escarp::desktop {
namespace {
constexpr double coarse = 0.04, fine = 0.01;  // m
}

SweptShown::SweptShown(const Results& results, Selection& selection, ViewOptions& view_options, QObject* parent)
    : QObject(parent),
      results_(results),
      selection_(selection),
      view_options_(view_options),
      behind_(
          this,
          [](const Question& q, const motion::StopFlag& stop) -> std::shared_ptr<const geometry::Volume> {
              try {
                  return inspection::swept_by(
                      *q.evaluation->cell, *q.evaluation->run, q.device, q.step, q.resolution, &stop, q.cache.get());
              } catch (const cell::InputError&) {  // larger than is drawn
                  return nullptr;
              }
          },
          [this] {
              volume_ = *behind_.answer();
              Q_EMIT changed();
              look();
          }) {
    connect(&results_, &Results::evaluated, this, &SweptShown::look);
    connect(&selection_, &Selection::selection_changed, this, &SweptShown::look);
    connect(&view_options_, &ViewOptions::shown_changed, this, &SweptShown::look);
}

bool SweptShown::finest() const {
    return !behind_.asked() || (behind_.answer() && behind_.asked()->resolution == fine);
}

void SweptShown::look() {
    Question q{results_.shown()};
    q.cache = results_.cache();
    const Selected& s = selection_.first();
    if (q.evaluation && view_options_.shown().swept) q.device = q.evaluation->cell->device(s.device.toStdString());
    if (q.device < 0 || !q.evaluation->cell->devices[q.device].mover()) {
        behind_.forget();
        if (std::exchange(volume_, nullptr)) Q_EMIT changed();
        return;
    }
    for (const cell::Step* step : cell::all_steps(q.evaluation->cell->devices[q.device]))
        if (step->id == s.step.toStdString()) q.step = step->number;
    // What is found coarsely is looked at more finely next.
    q.resolution = fine;
    if (behind_.asked() == q) return;
    q.resolution = coarse;
    if (behind_.asked() == q && behind_.answer()) q.resolution = fine;
    behind_.ask(q);
}

}  // namespace escarp::desktop
