#include "theme.h"

#include <QFontMetricsF>

namespace escarp::desktop::theme {

QFont font(int pixels, bool bold) {
    QFont f(QStringLiteral("DejaVu Sans"));
    f.setPixelSize(pixels);
    f.setBold(bold);
    return f;
}

QBrush hatch(const QColor& colour) {
    QBrush b(colour, Qt::BDiagPattern);
    return b;
}

QColor severity_colour(inspection::Severity s) {
    return s == inspection::Severity::stop ? stop : s == inspection::Severity::watch ? watch : muted;
}
QColor severity_text(inspection::Severity s) {
    return s == inspection::Severity::stop ? stop : s == inspection::Severity::watch ? watch_text : muted;
}
QString severity_sign(inspection::Severity s) {
    return s == inspection::Severity::stop    ? QStringLiteral("\u2715")
           : s == inspection::Severity::watch ? QStringLiteral("!")
                                              : QStringLiteral("i");
}

QColor category_colour(study::Category c) {
    switch (c) {
        case study::Category::move: return move;
        case study::Category::grip: return grip;
        case study::Category::process: return process;
        case study::Category::wait: return muted;
    }
    return muted;
}

QColor look_colour(cell::Look look, const std::string& own) {
    if (!own.empty()) {
        const QColor c(QString::fromStdString(own));
        if (c.isValid()) return c;
    }
    switch (look) {
        case cell::Look::arm: return arm;
        case cell::Look::belt: return belt;
        case cell::Look::fixture: return fixture;
        case cell::Look::sensor: return accent;
        case cell::Look::source:
        case cell::Look::sink: return QColor(0xDD, 0xD4, 0xC4);
        case cell::Look::marking: return QColor(0xE0, 0xBE, 0x68);
        case cell::Look::structure: break;
    }
    return steel;
}

QString style_sheet() {
    return QStringLiteral(R"(
        QWidget { color: #1F2A33; font-family: "DejaVu Sans"; font-size: 12px; }
        QMainWindow, QDialog { background: #F4F0E6; }
        QDialogButtonBox, QMessageBox { dialogbuttonbox-buttons-have-icons: 0; }
        QMenuBar { background: #FCFAF5; border-bottom: 1px solid #D8D2C4; padding: 2px 6px; }
        QMenuBar::item { padding: 4px 10px; background: transparent; }
        QMenuBar::item:selected, QMenu::item:selected { background: #F3E4D8; color: #1F2A33; }
        QMenu { background: #FCFAF5; border: 1px solid #D8D2C4; }
        QMenu::item { padding: 4px 22px 4px 14px; }
        QMenu::item:disabled { color: #66727B; }
        QMenu::separator { height: 1px; background: #D8D2C4; margin: 3px 8px; }
        QScrollArea, QScrollArea > QWidget > QWidget { background: #FCFAF5; border: none; }
        QSplitter::handle { background: #D8D2C4; }
        QLineEdit, QComboBox { background: #FFFFFF; border: 1px solid #D8D2C4; border-radius: 2px; padding: 1px 4px;
            selection-background-color: #B4521B; }
        QLineEdit[wrong="true"] { color: #A8124F; }
        QLineEdit[altered="true"], QComboBox[altered="true"] { border: 1px solid #B4521B; background: #FBF0E6; }
        QLineEdit:focus, QComboBox:focus { border: 1px solid #B4521B; }
        QComboBox { font-size: 11px; padding: 1px 2px 1px 4px; }
        QComboBox::drop-down { border: none; width: 13px; }
        QComboBox::down-arrow { image: url(:/escarp/arrow_down.svg); width: 10px; height: 10px; }
        QCheckBox::indicator { width: 12px; height: 12px; background: #FFFFFF; border: 1px solid #B9B2A2;
            border-radius: 2px; }
        QCheckBox::indicator:checked { image: url(:/escarp/tick.svg); border-color: #B4521B; }
        QCheckBox::indicator:hover, QCheckBox::indicator:focus { border-color: #B4521B; }
        QSlider::groove:horizontal { height: 3px; background: #D8D2C4; border-radius: 1px; }
        QSlider::sub-page:horizontal { background: #B4521B; border-radius: 1px; }
        QSlider::handle:horizontal { background: #FFFFFF; border: 1px solid #B4521B; width: 9px; margin: -5px 0;
            border-radius: 5px; }
        QProgressBar { background: #F4F0E6; border: 1px solid #D8D2C4; border-radius: 2px; text-align: center; }
        QProgressBar::chunk { background: #B4521B; }
        QComboBox QAbstractItemView { background: #FFFFFF; selection-background-color: #F3E4D8;
            selection-color: #1F2A33; }
        QListWidget, QTreeWidget { background: #FCFAF5; }
        QListWidget::item:selected, QTreeWidget::item:selected { background: #F3E4D8; color: #1F2A33; }
        QTreeWidget::item { padding: 1px 0; }
        QListWidget#catalogue_list { font-size: 10px; }
        QPlainTextEdit#answer_text { font-family: "DejaVu Sans Mono", monospace; font-size: 11px; }
        QTreeWidget#device_tree, QTreeWidget#device_tree QHeaderView::section { font-size: 11px; }
        QHeaderView::section { background: #F4F0E6; border: none; border-bottom: 1px solid #D8D2C4; padding: 2px 4px; }
        QToolButton, QPushButton { background: #F4F0E6; border: 1px solid #D8D2C4; border-radius: 3px;
            padding: 2px 8px; }
        QToolButton:hover, QPushButton:hover { border-color: #B4521B; }
        QToolButton:checked, QPushButton:checked { background: #F3E4D8; border-color: #B4521B; color: #B4521B; }
        QToolButton:focus, QPushButton:focus { border: 1px solid #B4521B; }
        QToolButton:disabled, QPushButton:disabled { color: #8A9299; }
        QToolButton[link="true"], QPushButton[link="true"] { background: transparent; border: none; color: #B4521B;
            font-weight: bold; padding: 1px 2px; text-align: left; }
        QToolButton[link="true"]:hover, QPushButton[link="true"]:hover, QPushButton[link="true"]:focus {
            text-decoration: underline; }
        QToolButton::menu-indicator { image: none; }
        QScrollBar:vertical { background: transparent; width: 9px; }
        QScrollBar:horizontal { background: transparent; height: 9px; }
        QScrollBar::handle { background: #CFC8B8; border-radius: 4px; min-height: 24px; min-width: 24px; }
        QScrollBar::add-line, QScrollBar::sub-line { width: 0; height: 0; }
        QToolTip { background: #FCFAF5; color: #1F2A33; border: 1px solid #B4521B; padding: 3px; }
    )");
}

void text(QPainter& p, const QRectF& box, const QString& s, int flags) {
    p.drawText(
        box, flags | Qt::TextSingleLine, QFontMetricsF(p.font()).elidedText(s, Qt::ElideRight, box.width() + 0.5));
}

QString number(std::optional<double> value, int decimals) {
    if (!value) return QStringLiteral("\u2013");
    const QString s = QString::number(*value, 'f', decimals);
    return s.startsWith('-') ? QStringLiteral("\u2212") + s.mid(1) : s;
}

}  // namespace escarp::desktop::theme
