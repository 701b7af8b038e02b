#include "spreads.h"

#include "step_back.h"

namespace escarp::desktop {

namespace {
constexpr std::size_t roughly = 10, closely = 40;
}  // namespace

Spreads::Spreads(Workspace& workspace, QObject* parent)
    : QObject(parent),
      workspace_(workspace),
      behind_(
          this,
          [](const Question& q, const motion::StopFlag& stop) {
              step_back();
              inspection::Cache cache;  // as long as the question: the window's own knows the cell better
              study::EvaluateOptions how;
              how.stop = &stop;
              study::ReplicateOptions often;
              often.repetitions = q.repetitions;
              return std::make_shared<const study::Replicated>(study::replicate(q.cell,
                  study::measures_of({"cycle_s", "rate_per_h", "waiting_pct", "inside_s"}, ""), cache, how, often));
          },
          [this] {
              const Question q = *behind_.asked();
              known_[q.variant] = {q.cell, *behind_.answer(), q.repetitions};
              behind_.forget();
              Q_EMIT found();
              look();
          }) {
    connect(&workspace_, &Workspace::evaluated, this, &Spreads::look);
}

const study::Replicated* Spreads::of(const QString& variant) const {
    const auto there = known_.find(variant);
    const auto e = workspace_.evaluation_of(variant);
    return there != known_.end() && e && there->second.cell == e->cell && !there->second.found->certain
               ? there->second.found.get()
               : nullptr;
}

/// The variant looked at first, all of them roughly before any of them closely.
void Spreads::look() {
    if (workspace_.trying() || !workspace_.forced().empty()) return;
    QStringList order{workspace_.variant()};
    for (const cell::VariantInfo& v : workspace_.document().variants())
        if (const QString id = QString::fromStdString(v.id); !order.contains(id)) order << id;
    for (const std::size_t repetitions : {roughly, closely})
        for (const QString& id : order) {
            const auto e = workspace_.evaluation_of(id);
            if (!e || !workspace_.current_of(id) || e->run->steady || e->run->cut || !e->figures.cycle_s ||
                e->figures.per_round)
                continue;
            const auto there = known_.find(id);
            if (there != known_.end() && there->second.cell == e->cell && there->second.repetitions >= repetitions)
                continue;
            return behind_.ask({id, e->cell, repetitions});
        }
}

}  // namespace escarp::desktop
