#include "questions_by_name.h"

#include <QAction>
#include <QRegularExpression>

#include <cell/text/disk.h>
#include <desktop/dialogs/answer_dialog.h>
#include <desktop/dialogs/import_geometry.h>
#include <desktop/dialogs/table_dialog.h>
#include <desktop/looks/plain_text.h>
#include <exchange/question.h>
#include <motion/stopped.h>

namespace escarp::desktop {
namespace {

QString first_of(const cell::InputError& e) {
    const cell::Problem& first = e.problems().front();
    return QString::fromStdString((first.where.empty() ? "" : first.where + ": ") + first.message);
}

void ask(const exchange::Question& question, Workspace& workspace, QWidget* window) {
    const QString title = QString::fromStdString(question.help);
    cell::json said = cell::json::object();
    if (!question.options.empty()) {
        TableDialog dialog(QString::fromStdString(question.name), question.options, workspace, "ask",
            TableDialog::Ends::carry_out, window);
        if (dialog.exec() != QDialog::Accepted) return;
        said = dialog.said();
    }
    try {
        const cell::Layout layout = workspace.open.layout();
        exchange::Answer answer;
        run_beside(window, QObject::tr("Working out: %1").arg(title), [&](const exchange::LoadWatch& watch) {
            study::EvaluateOptions how;
            how.stop = watch.cancel;
            answer = exchange::ask(question, layout, said, how);
        });
        AnswerDialog dialog(title,
            QObject::tr("%1, variant %2").arg(QString::fromStdString(question.name), workspace.open.variant()), answer,
            window);
        QObject::connect(&dialog, &AnswerDialog::wants_file, window, [&](const QString& file, const QString& text) {
            try {
                cell::check_target(file.toStdString(), {"txt", "json"}, {workspace.open.file().toStdString()});
                cell::write_file(file.toStdString(), text.toStdString());
            } catch (const cell::InputError& e) {
                Q_EMIT workspace.open.refused(QObject::tr("Nothing was written"), first_of(e));
            }
        });
        if (dialog.exec() == QDialog::Accepted && answer.edit) workspace.open.apply(*answer.edit);
    } catch (const motion::Cancelled&) {
    } catch (const cell::InputError& e) {
        Q_EMIT workspace.open.refused(QObject::tr("There is no answer"), first_of(e));
    }
}

}  // namespace

void add_questions_by_name(Workspace& workspace, QWidget* window, const LayoutActions::Make& make) {
    for (const exchange::Question& question : exchange::questions()) {
        const QString name = QString::fromStdString(question.name);
        const QString dots = question.options.empty() ? QString() : QStringLiteral(" \u2026");
        const QString asks = QString::fromStdString(question.help).section(QRegularExpression("[:;(]"), 0, 0).trimmed();
        QAction* action = make("ask_" + name, QObject::tr("Ask: %1 (%2)").arg(asks, name) + dots, {},
            [&question, &workspace, window] { ask(question, workspace, window); });
        action->setToolTip(plain(QString::fromStdString(question.help)));
    }
}

}  // namespace escarp::desktop
