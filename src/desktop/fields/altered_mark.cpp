#include "altered_mark.h"

#include <QMenu>

#include <desktop/looks/plain_text.h>

#include "typed_number.h"

namespace escarp::desktop {

void mark_altered(OpenCell& open, QObject* context, QWidget* field, QLabel* label, const std::string& path) {
    const auto found = open.altered().find(path);
    if (found == open.altered().end()) return;
    const cell::json& base = found->second;
    const QString was = base.is_null()     ? QObject::tr("not there")
                        : base.is_number() ? shown_number(base.get<double>())
                        : base.is_string() ? QString::fromStdString(base.get<std::string>())
                                           : QString::fromStdString(cell::value_in_words(base));
    const QString hint =
        QObject::tr("Altered in this variant. Baseline: %1. Right click: put back, or hand on.").arg(was);
    field->setProperty("altered", true);
    label->setText(QStringLiteral("\u2260 ") + label->text());
    label->setStyleSheet("color: #B4521B; font-size: 11px; font-weight: bold;");
    for (QWidget* w : {field, static_cast<QWidget*>(label)}) {
        w->setToolTip(plain(hint));
        w->setContextMenuPolicy(Qt::CustomContextMenu);
        QObject::connect(w, &QWidget::customContextMenuRequested, context, [&open, context, w, path](const QPoint& at) {
            auto* menu = new QMenu(w);
            menu->setObjectName("altered_menu");
            menu->setAttribute(Qt::WA_DeleteOnClose);
            const std::string variant = open.variant().toStdString();
            menu->addAction(QObject::tr("Put back to the baseline"), context, [&open, variant, path] {
                open.replace(open.document().put_back(variant, path), QObject::tr("Put back to the baseline"));
            });
            menu->addAction(QObject::tr("Make it the baseline's value"), context, [&open, variant, path] {
                open.replace(open.document().pushed_to_baseline(variant, path), QObject::tr("Push to the baseline"));
            });
            menu->addAction(QObject::tr("Make it every variant's value"), context, [&open, variant, path] {
                open.replace(open.document().pushed_to_all(variant, path), QObject::tr("Push to all variants"));
            });
            if (const cell::json* value = cell::find(open.resolved(), path); value && value->is_number())
                menu->addAction(QObject::tr("Vary it in a study"), &open,
                    [&open, path] { Q_EMIT open.wants_to_vary(QString::fromStdString(path)); });
            menu->popup(w->mapToGlobal(at));
        });
    }
}

}  // namespace escarp::desktop
