#pragma once
// Colours, fonts and brushes of the light theme (one place for all of them).

#include <QBrush>
#include <QColor>
#include <QFont>
#include <QPainter>
#include <QString>

#include <inspection/finding.h>
#include <study/figures.h>

namespace escarp::desktop::theme {

inline const QColor ground(0xF4, 0xF0, 0xE6), panel(0xFC, 0xFA, 0xF5), rule(0xD8, 0xD2, 0xC4), ink(0x1F, 0x2A, 0x33),
    muted(0x5C, 0x68, 0x70), accent(0xB4, 0x52, 0x1B), good(0x1B, 0x7A, 0x78), watch(0xC9, 0x8A, 0x12),
    stop(0xA8, 0x12, 0x4F), move(0x3F, 0x6C, 0x9B), grip(0x7B, 0x4B, 0x8C), process(0x7A, 0x86, 0x32),
    belt(0x5B, 0x64, 0x6C), steel(0xD5, 0xCF, 0xC2), fixture(0xC9, 0xCD, 0xA8), arm(0xE6, 0xE1, 0xD3),
    part(0xC3, 0xCB, 0xD2);
/// Text in the watch colour: darker, so that it can be read on paper.
inline const QColor watch_text(0x8A, 0x5B, 0x00);

QFont font(int pixels, bool bold = false);
QBrush hatch(const QColor& colour);
QColor severity_colour(inspection::Severity severity);
QColor severity_text(inspection::Severity severity);
QString severity_sign(inspection::Severity severity);
QColor category_colour(study::Category category);
/// Fill of a device's drawing by its look, or its own colour if it has one.
QColor look_colour(cell::Look look, const std::string& own);
QString style_sheet();
/// Draws text, shortened with an ellipsis if it does not fit.
void text(QPainter& p, const QRectF& box, const QString& s, int flags = Qt::AlignLeft | Qt::AlignVCenter);
/// "8.42" with the given decimals; a dash where there is no value.
QString number(std::optional<double> value, int decimals);

}  // namespace escarp::desktop::theme
