#include "step_line.h"

#include <QApplication>
#include <QDrag>
#include <QDragEnterEvent>
#include <QKeyEvent>
#include <QMimeData>
#include <QPainter>
#include <QTimer>

#include <cell/edits/task_edits.h>
#include <cell/model/step_kind.h>
#include <desktop/looks/plain_text.h>
#include <desktop/looks/theme.h>

namespace escarp::desktop {
namespace {

std::string empty_list(const cell::Step& step) {
    const std::vector<std::string> lists = step.kind->lists();
    if (!step.then.empty() || step.shared || lists.empty()) return {};
    // A list that a new step of this kind begins with; or, of a wait, what it does when it has waited long enough.
    const cell::Field* first = cell::find_field(step.kind->fields(), lists.front());
    const bool usual = first && !first->fresh.is_null();
    return usual || (step.patience > 0 && step.otherwise.empty()) ? lists.front() : std::string();
}

}  // namespace

StepLine::StepLine(OpenCell& open, const Results& results, Selection& selection, const cell::Device& device,
    const cell::Step& step, QWidget* parent)
    : QWidget(parent),
      open_(open),
      results_(results),
      selection_(selection),
      path_("/" + step.path),
      enabled_(step.enabled),
      shared_(step.shared),
      takes_(empty_list(step)),
      device_(QString::fromStdString(device.id)),
      step_(QString::fromStdString(step.id)),
      text_((step.in_else ? tr("else: ") : QString()) + QString::fromStdString(cell::describe(*open.cell(), step))),
      number_(step.number),
      depth_(step.depth) {
    setObjectName("step_" + device_ + "_" + step_);
    setAccessibleName(text_);
    setFixedHeight(22);
    setFocusPolicy(Qt::TabFocus);
    setCursor(Qt::PointingHandCursor);
    setAcceptDrops(true);
    refresh();
}

void StepLine::refresh() {
    time_.clear();
    mark_ = Mark::none;
    const auto e = results_.shown();
    const int device = e ? e->cell->device(device_.toStdString()) : -1;
    if (device >= 0) {
        // Mean time of one execution within the steady stretch; a new execution begins after another step's block.
        const simulation::Ticks from = e->run->steady ? e->run->steady->from : 0;
        double total = 0;
        int times = 0, last = -1;
        for (const simulation::Block& b : e->run->trace.blocks) {
            if (b.device != device || b.to == simulation::never || b.from < from) continue;
            if (b.step == number_) {
                total += simulation::seconds(b.to - b.from);
                times += last != number_;
            }
            last = b.step;
        }
        if (times > 0) time_ = QString("%1 s").arg(total / times, 0, 'f', 2);
        for (const inspection::Finding& f : e->inspection->findings) {
            if (f.device != device_.toStdString() || f.step != step_.toStdString()) continue;
            mark_ = f.severity == inspection::Severity::stop ? Mark::stop
                    : mark_ == Mark::stop                    ? Mark::stop
                                                             : Mark::watch;
        }
    }
    QString hint = time_.isEmpty() ? text_ : tr("%1, %2 on average").arg(text_, time_);
    gain_.clear();
    const study::Gain* g = results_.gain_of(path_, open_.layout());
    if (g && g->shorter_s && *g->shorter_s > std::max(1e-3, g->shorter_out_s)) {
        const auto words = [](double value, double out) {
            const QString text = tr("%1 s").arg(value, 0, 'f', 3);
            return out > 0 ? tr("%1 (\u00b1 %2)").arg(text).arg(out, 0, 'f', 3) : text;
        };
        gain_ = QStringLiteral("\u25bc") + QString::number(*g->shorter_s, 'f', 2);
        hint += "\n" + tr("0.1 s less here takes %1 off the cycle, 10 % quicker %2")
                           .arg(words(*g->shorter_s, g->shorter_out_s), words(g->quicker_s, g->quicker_out_s));
    }
    setToolTip(plain(hint));
    update();
}

void StepLine::paintEvent(QPaintEvent*) {
    QPainter p(this);
    const bool selected = selection_.first().device == device_ && selection_.first().step == step_;
    if (selected) p.fillRect(rect(), QColor(0xF3, 0xE4, 0xD8));
    if (hasFocus()) {
        p.setPen(QPen(theme::accent, 1, Qt::DotLine));
        p.drawRect(rect().adjusted(0, 0, -1, -1));
    }
    const double indent = 12.0 * depth_;
    p.setFont(theme::font(10));
    p.setPen(theme::muted);
    p.drawText(QRectF(6, 0, 18, height()), Qt::AlignLeft | Qt::AlignVCenter, QString::number(number_ + 1));
    p.setFont(theme::font(11));
    const double wide = time_.isEmpty() ? 0 : QFontMetricsF(p.font()).horizontalAdvance(time_) + 4;
    const QColor colour = mark_ == Mark::stop ? theme::stop : mark_ == Mark::watch ? theme::watch_text : theme::muted;
    p.setPen(colour);
    p.drawText(QRectF(width() - wide - 6, 0, wide, height()), Qt::AlignRight | Qt::AlignVCenter, time_);
    double end = width() - wide - 10;
    if (!gain_.isEmpty()) {
        const double room = QFontMetricsF(p.font()).horizontalAdvance(gain_) + 6;
        p.setPen(theme::good);
        p.drawText(QRectF(end - room, 0, room, height()), Qt::AlignLeft | Qt::AlignVCenter, gain_);
        p.setPen(colour);
        end -= room;
    }
    if (mark_ != Mark::none) {
        p.setFont(theme::font(11, true));
        p.drawText(QRectF(end - 10, 0, 10, height()), Qt::AlignCenter,
            mark_ == Mark::stop ? QStringLiteral("\u2715") : QStringLiteral("!"));
        end -= 14;
    }
    p.setFont(theme::font(11, selected));
    p.setPen(enabled_ ? theme::ink : theme::muted);
    QFont font = p.font();
    font.setStrikeOut(!enabled_);
    font.setItalic(shared_);
    p.setFont(font);
    theme::text(p, QRectF(24 + indent, 0, end - 24 - indent, height()), text_);
    if (drop_ == Drop::none) return;
    p.setPen(QPen(theme::accent, 2));
    const int y = drop_ == Drop::before ? 1 : height() - 1;
    p.drawLine(QPointF((drop_ == Drop::inside ? 32 : 20) + indent, y), QPointF(width() - 4, y));
}

void StepLine::mousePressEvent(QMouseEvent* event) {
    pressed_ = event->pos();
    event->accept();
}

void StepLine::mouseReleaseEvent(QMouseEvent*) { selection_.select(device_, step_); }

void StepLine::mouseMoveEvent(QMouseEvent* event) {
    if (!(event->buttons() & Qt::LeftButton) ||
        (event->pos() - pressed_).manhattanLength() < QApplication::startDragDistance())
        return;
    auto* data = new QMimeData;
    data->setData(mime_type, QByteArray::fromStdString(path_));
    auto* drag = new QDrag(this);
    drag->setMimeData(data);
    drag->setPixmap(grab());
    drag->exec(Qt::MoveAction | Qt::CopyAction, Qt::MoveAction);
}

void StepLine::dragEnterEvent(QDragEnterEvent* event) {
    if (event->mimeData()->hasFormat(mime_type)) event->acceptProposedAction();
}

void StepLine::dragMoveEvent(QDragMoveEvent* event) {
    if (!event->mimeData()->hasFormat(mime_type)) return;
    drop_ = drop_at(event->position().y());
    event->acceptProposedAction();
    update();
}

void StepLine::dragLeaveEvent(QDragLeaveEvent*) {
    drop_ = Drop::none;
    update();
}

StepLine::Drop StepLine::drop_at(double y) const {
    return y < 0.5 * height() ? Drop::before : takes_.empty() ? Drop::behind : Drop::inside;
}

/// The step that was dragged goes before or behind this one, or into it where it is an empty group; with Ctrl a copy of
/// it.
void StepLine::dropEvent(QDropEvent* event) {
    const std::string from = event->mimeData()->data(mime_type).toStdString();
    const Drop where = drop_at(event->position().y());
    const bool copy = event->modifiers() & Qt::ControlModifier;
    drop_ = Drop::none;
    update();
    if (from.empty()) return;
    event->acceptProposedAction();
    // This line may be gone once the edit is made: it goes by the event loop.
    QTimer::singleShot(0, &open_,
        [&open = open_, &selection = selection_, from,
            to = cell::StepPlace{path_, where == Drop::before, where == Drop::inside ? takes_ : std::string()}, copy,
            device = device_] {
            try {
                std::string id;
                if (open.apply(cell::move_step(open.layout(), from, to, copy, &id)) && !id.empty())
                    selection.select(device, QString::fromStdString(id));
            } catch (const cell::InputError& e) {
                Q_EMIT open.refused(
                    tr("The step stays where it is"), QString::fromStdString(e.problems().front().message));
            }
        });
}

void StepLine::keyPressEvent(QKeyEvent* event) {
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Space) selection_.select(device_, step_);
    else QWidget::keyPressEvent(event);
}

}  // namespace escarp::desktop
