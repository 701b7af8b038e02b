#pragma once
// Side by side: variants in columns, drawn and judged on one scale.

#include <QScrollArea>
#include <list>

#include <desktop/session/spreads.h>

namespace escarp::desktop {

class Comparison : public QWidget {
    Q_OBJECT
public:
    Comparison(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent = nullptr);
    QSize sizeHint() const override;
    void set_room(const QSize& room);
    /// What a cell of the table shows: row key ("cycle", "throughput", "reach" ...) and variant id.
    QString shown(const QString& row, const QString& variant) const;
    /// Variants from left to right.
    QStringList order() const;
    /// The best first; once more, and they stand in the order of the document again.
    void sort_by(const QString& row);
    /// Rows that are the same in every variant are left out.
    bool differs(const QString& row) const;
    QString words() const { return verdict(columns()); }  ///< what it all means

Q_SIGNALS:
    void chosen(const QString& variant);

protected:
    void paintEvent(QPaintEvent*) override;
    void mousePressEvent(QMouseEvent*) override;

private:
    struct Row {
        QString key, label;
        int decimals;
        double factor;
        int better;  ///< +1 larger is better, -1 smaller, 0 neither
        QString unit;
    };
    struct Column {
        QString id, name;
        std::shared_ptr<const study::Evaluation> evaluation;
    };
    static const std::vector<Row>& rows();
    void draw_label(QPainter& p, const QRectF& box, const QString& words, const QString& key);
    std::string ranking_words(const std::vector<Column>& all) const;
    std::vector<Column> columns() const;
    std::optional<double> cycle(const Column& column) const;
    std::optional<double> value(const Row& row, const Column& column) const;
    QString text(const Row& row, const Column& column) const;
    QRectF column_box(std::size_t index, std::size_t count, double top, double height) const;
    double draw_layouts(QPainter& p, const std::vector<Column>& all, double y);
    double draw_cycles(QPainter& p, const std::vector<Column>& all, double y);
    void draw_cycle(QPainter& p, const Column& column, const Column* base, const QRectF& box, bool tight);
    void draw_chain(QPainter& p, const Column& column, const QRectF& box, double per_second, bool tight);
    struct Span;
    Span span_of(const Row& row, const std::vector<Column>& all) const;
    void draw_value(
        QPainter& p, const Row& row, const Column& c, const Span& span, const QRectF& box, bool tight) const;
    double draw_figures(QPainter& p, const std::vector<Column>& all, double y);
    double draw_differences(QPainter& p, const std::vector<Column>& all, double y);
    double draw_verdict(QPainter& p, const std::vector<Column>& all, double y);
    void heading(QPainter& p, const QString& title, const QString& sub, double y);
    void rule(QPainter& p, double y);
    double edge() const;                   ///< where the names of the rows begin: they stay while columns are scrolled
    bool narrow(std::size_t count) const;  ///< columns have room for figures, not for names in drawings
    QStringList differences(const Column& column) const;
    QString verdict(const std::vector<Column>& all) const;

    void renew();

    OpenCell& open_;
    const Results& results_;
    const Spreads& spreads_;
    /// The newest evaluations, as they are drawn.
    struct Drawn {
        std::shared_ptr<const study::Evaluation> of;
        simulation::Scene scene;
    };
    std::list<Drawn> drawn_;
    QString sorted_by_;                               ///< row key; empty: in the order of the document
    std::vector<std::pair<QRectF, QString>> labels_;  ///< where the rows' names are, to be clicked
    QSize room_{1280, 700};
    int height_ = 700;
};

class SideBySide : public QScrollArea {
    Q_OBJECT
public:
    SideBySide(OpenCell& open, const Results& results, const Spreads& spreads, QWidget* parent = nullptr);
    Comparison* comparison() const { return comparison_; }

protected:
    void resizeEvent(QResizeEvent* event) override;

private:
    Comparison* comparison_;
};

}  // namespace escarp::desktop
