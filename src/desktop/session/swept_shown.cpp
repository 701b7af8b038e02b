#include "swept_shown.h"

#include <cell/text/problem.h>

namespace escarp::desktop {
namespace {
constexpr double coarse = 0.04, fine = 0.01;  // m
}

SweptShown::SweptShown(Workspace& workspace, QObject* parent)
    : QObject(parent),
      workspace_(workspace),
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
    for (const auto signal : {&Workspace::evaluated, &Workspace::selection_changed, &Workspace::shown_changed})
        connect(&workspace_, signal, this, &SweptShown::look);
}

bool SweptShown::finest() const {
    return !behind_.asked() || (behind_.answer() && behind_.asked()->resolution == fine);
}

void SweptShown::look() {
    Question q{workspace_.evaluation()};
    q.cache = workspace_.cache();
    const Selection& s = workspace_.selection();
    if (q.evaluation && workspace_.shown().swept) q.device = q.evaluation->cell->device(s.device.toStdString());
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
