#include "floor_picture.h"

#include <QBuffer>
#include <QFileInfo>
#include <QImageReader>
#include <QXmlStreamReader>
#include <algorithm>
#include <cmath>

#include <cell/text/disk.h>
#include <cell/text/problem.h>

namespace escarp::desktop {
namespace {

constexpr qint64 largest_file = 8 << 20;
constexpr int drawn_width = 2400;  // pixels; finer drawings are thinned to it

/// A picture made of pixels that a drawing holds itself, as "data:image/png;base64,...": nothing else, since a drawing
/// in it could refer to anything again.
bool holds_pixels(QStringView reference) {
    if (!reference.startsWith(QLatin1String("data:image/"))) return false;
    const qsizetype comma = reference.indexOf(QLatin1Char(','));
    if (comma < 0 || !reference.left(comma).endsWith(QLatin1String(";base64"))) return false;
    const QByteArray bytes = QByteArray::fromBase64(reference.mid(comma + 1).left(64).toLatin1());
    return bytes.startsWith("\x89PNG\r\n") || bytes.startsWith("\xff\xd8\xff");
}

/// A drawing without the pictures, styles and whatever else it refers to: they would be read from wherever it says.
/// Pixels that it holds itself stay.
QByteArray without_references(const QByteArray& svg) {
    QByteArray out;
    QXmlStreamReader in(svg);
    QXmlStreamWriter kept(&out);
    int left_out = 0;  // how deep inside of something left out
    while (!in.atEnd()) {
        in.readNext();
        const auto refers = [&] {
            const QXmlStreamAttributes all = in.attributes();
            return std::any_of(all.begin(), all.end(), [](const QXmlStreamAttribute& a) {
                return a.name() == QLatin1String("href") && !a.value().trimmed().startsWith(QLatin1Char('#')) &&
                       !holds_pixels(a.value().trimmed());
            });
        };
        if (in.isStartElement() && (left_out > 0 || refers())) ++left_out;
        else if (in.isEndElement() && left_out > 0) --left_out;
        else if (left_out == 0 && !in.isDTD() && !in.isEntityReference() && !in.isProcessingInstruction() &&
                 in.tokenType() != QXmlStreamReader::Invalid)
            kept.writeCurrentToken(in);
    }
    return out;
}

QImage decoded(const QByteArray& file, QString* why) {
    QBuffer whole;
    whole.setData(file);
    whole.open(QIODevice::ReadOnly);
    const QByteArray format = QImageReader::imageFormat(&whole);
    if (format == "svgz" || file.startsWith("\x1f\x8b")) {
        if (why) *why = QObject::tr("It is a packed drawing; unpack it first (gunzip).");
        return {};
    }
    QBuffer buffer;
    buffer.setData(format == "svg" ? without_references(file) : file);
    buffer.open(QIODevice::ReadOnly);
    QImageReader reader(&buffer);
    const QSize size = reader.size();
    if (!size.isValid() || size.width() > 40000 || size.height() > 40000) {
        if (why) *why = QObject::tr("It is not a picture that can be read (PNG, JPEG, SVG).");
        return {};
    }
    const bool drawing = reader.format() == "svg" || reader.format() == "svgz";
    if (size.width() > drawn_width || drawing)
        reader.setScaledSize(QSize(drawn_width,
            std::max(1, static_cast<int>(std::lround(double(size.height()) * drawn_width / size.width())))));
    QImage image = reader.read();
    if (image.isNull() && why) *why = reader.errorString();
    return image.convertToFormat(QImage::Format_ARGB32_Premultiplied);
}

double number(const cell::json& j, const char* key, double otherwise) {
    const auto found = j.find(key);
    return found != j.end() && found->is_number() && std::isfinite(found->get<double>()) ? found->get<double>()
                                                                                         : otherwise;
}

}  // namespace

void FloorPicture::follow(const cell::json& tree) {
    const auto found = tree.find("underlay");
    if (found == tree.end() || !found->is_object() || !found->contains("picture") || !(*found)["picture"].is_string()) {
        image_ = {};
        key_ = 0;
        return;
    }
    const std::string& text = (*found)["picture"].get_ref<const std::string&>();
    const std::uint64_t key = std::hash<std::string>{}(text);
    if (key != key_) image_ = decoded(QByteArray::fromBase64(QByteArray::fromStdString(text)), nullptr);
    key_ = key;
    x_ = 1e-3 * number(*found, "x_mm", 0), y_ = 1e-3 * number(*found, "y_mm", 0);
    width_ = std::clamp(1e-3 * number(*found, "width_mm", 5000), 0.01, 1e4);
    turn_ = number(*found, "turn_deg", 0);
    fade_ = std::clamp(number(*found, "fade_pct", 50) / 100, 0.0, 1.0);
}

void FloorPicture::draw(QPainter& p, const PlanView& v) const {
    if (image_.isNull() || v.side != Side::top) return;
    p.save();
    p.setOpacity(1 - fade_);
    p.setRenderHint(QPainter::SmoothPixmapTransform);
    p.translate(v.flat_to_pixels(x_, y_));
    p.rotate(-turn_);
    const double w = width_ * v.scale, h = w * image_.height() / image_.width();
    p.drawImage(QRectF(0, -h, w, h), image_);
    p.restore();
}

cell::json FloorPicture::from_file(const QString& name, QString* why) {
    if (QFileInfo(name).size() > largest_file) {
        *why =
            QObject::tr("The picture is larger than 8 MB; make it smaller first, it is kept inside the cell's file.");
        return {};
    }
    QByteArray bytes;
    try {
        bytes = QByteArray::fromStdString(cell::read_file(name.toStdString(), largest_file));
    } catch (const cell::InputError& e) {
        *why = QString::fromStdString(e.problems().front().message);
        return {};
    }
    if (decoded(bytes, why).isNull()) return {};
    return {{"name", QFileInfo(name).fileName().toStdString()}, {"x_mm", 0.0}, {"y_mm", 0.0}, {"width_mm", 5000.0},
        {"turn_deg", 0.0}, {"fade_pct", 50.0}, {"picture", bytes.toBase64().toStdString()}};
}

cell::json FloorPicture::scaled(
    const cell::json& underlay, const geometry::Vector3& a, const geometry::Vector3& b, double distance) {
    cell::json out = underlay;
    const double now = std::hypot(b.x() - a.x(), b.y() - a.y());
    if (now < 1e-6 || distance <= 0) return out;
    const double factor = distance / now;
    out["width_mm"] = number(underlay, "width_mm", 5000) * factor;
    out["x_mm"] = 1e3 * a.x() + (number(underlay, "x_mm", 0) - 1e3 * a.x()) * factor;
    out["y_mm"] = 1e3 * a.y() + (number(underlay, "y_mm", 0) - 1e3 * a.y()) * factor;
    return out;
}

}  // namespace escarp::desktop
