#include "nearness.h"

namespace escarp::desktop {

Nearness::Nearness(const Results& results, Selection& selection, QObject* parent)
    : QObject(parent),
      results_(results),
      selection_(selection),
      behind_(
          this,
          [](const Question& q, const motion::StopFlag& stop) {
              return inspection::clearance_over_time(
                  *q.evaluation->cell, *q.evaluation->run, *q.cache, q.from, q.to, q.bins, q.one, q.other, 1.0, &stop);
          },
          [this] { Q_EMIT found(); }) {}

void Nearness::look(double from, double to, int bins) {
    Question q{results_.shown(), std::max(0.0, from), to, bins};
    if (!q.evaluation) return forget();
    q.to = std::min(q.to, q.evaluation->inspection->checked_s);
    if (q.to <= q.from || bins < 1) return forget();
    const QStringList selected = selection_.all();
    const auto device = [&](int nth) {
        return nth < selected.size() ? q.evaluation->cell->device(selected[nth].toStdString()) : -1;
    };
    q.one = device(0), q.other = device(1);
    q.cache = results_.cache();
    const auto name = [&](int i) { return QString::fromStdString(q.evaluation->cell->devices[i].name); };
    title_ = q.one < 0     ? tr("everything")
             : q.other < 0 ? name(q.one)
                           : name(q.one) + QStringLiteral(" \u2194 ") + name(q.other);
    behind_.ask(q);
}

const inspection::LeastClearance* Nearness::at(double t) const {
    const inspection::ClearanceCurve* c = curve();
    if (!c || t < c->from || t > c->to) return nullptr;
    const auto count = static_cast<double>(c->bins.size());
    const auto bin = static_cast<std::size_t>(std::clamp((t - c->from) / (c->to - c->from) * count, 0.0, count - 1));
    return c->bins[bin].device_a < 0 ? nullptr : &c->bins[bin];
}

}  // namespace escarp::desktop
