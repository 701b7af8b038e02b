#include "spreads.h"

#include "step_back.h"

namespace escarp::desktop {

namespace {
constexpr std::size_t roughly = 10, closely = study::usual_repetitions;
}  // namespace

Spreads::Spreads(OpenCell& open, const Results& results, QObject* parent)
    : QObject(parent),
      open_(open),
      results_(results),
      behind_(
          this,
          [](const Question& q, const motion::StopFlag& stop) {
              step_back();
              inspection::Cache cache;  // as long as the question: the window's own knows the cell better
              study::EvaluateOptions how;
              how.stop = &stop;
              study::ReplicateOptions often;
              often.repetitions = q.repetitions;
              return std::make_shared<const study::Replicated>(study::replicate(
                  q.layout.shared_cell(), study::measures_of(study::figures_of_chance(), ""), cache, how, often));
          },
          [this] {
              const Question q = *behind_.asked();
              known_[q.variant] = {q.layout.content(), *behind_.answer(), q.repetitions};
              behind_.forget();
              Q_EMIT found();
              look();
          }) {
    constexpr int pause = 250;  // ms without an edit: runs by the dozen are not begun at every key
    soon_.setSingleShot(true);
    soon_.setInterval(pause);
    connect(&soon_, &QTimer::timeout, this, &Spreads::look);
    connect(&results_, &Results::evaluated, this, &Spreads::look_soon);
}

void Spreads::look_soon() {
    if (const auto& asked = behind_.asked(); asked && !wanted(*asked)) behind_.forget();
    soon_.start();
}

const study::Replicated* Spreads::of(const QString& variant) const {
    const auto there = known_.find(variant);
    const auto e = results_.of(variant);
    return there != known_.end() && e && there->second.content == e->layout.content() && !there->second.found->certain
               ? there->second.found.get()
               : nullptr;
}

/// Whether the cell is still that of the variant.
bool Spreads::wanted(const Question& question) const {
    const auto e = results_.of(question.variant);
    return e && results_.current(question.variant) && e->layout.content() == question.layout.content();
}

/// The variant looked at first, all of them roughly before any of them closely.
void Spreads::look() {
    if (open_.trying() || !results_.forced().empty()) return;
    QStringList order{open_.variant()};
    for (const cell::VariantInfo& v : open_.document().variants())
        if (const QString id = QString::fromStdString(v.id); !order.contains(id)) order << id;
    for (const std::size_t repetitions : {roughly, closely})
        for (const QString& id : order) {
            const auto e = results_.of(id);
            if (!e || !results_.current(id) || e->run->steady || e->run->cut || !e->figures.cycle_s ||
                e->figures.per_round)
                continue;
            const auto there = known_.find(id);
            if (there != known_.end() && there->second.content == e->layout.content() &&
                there->second.repetitions >= repetitions)
                continue;
            return behind_.ask({id, e->layout, repetitions});
        }
}

}  // namespace escarp::desktop
