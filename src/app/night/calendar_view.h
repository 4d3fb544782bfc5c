#pragma once

#include "core/plan/cells.h"
#include "core/plan/suggest.h"

#include <QWidget>

namespace caelumen {

/// The moon and the dark hours of a month, a night a square; or of a year, a column every ten days. A click chooses the night.
class CalendarView : public QWidget {
    Q_OBJECT

public:
    enum class Span { Month, Year };
    explicit CalendarView(Span span, QWidget* parent = nullptr);
    void show(std::vector<CalendarNight> nights, const QString& chosen, bool south);
    /// Nights whose moon is one that this sky still lacks are marked; `grid` is said below.
    void setMissing(std::vector<MoonCell> missing, const QString& grid);
    void say(const QString& sentence); ///< instead of nights
    const std::vector<CalendarNight>& nights() const { return m_nights; }
    const QString& grid() const { return m_grid; }
    QRectF placeOf(int index) const;

signals:
    void dateChosen(const QString& date);

protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    bool event(QEvent* event) override;

private:
    int at(QPointF p) const;
    double longest_s() const;
    void paintYear(QPainter& painter) const;
    void paintMonth(QPainter& painter) const;
    void paintNight(QPainter& painter, std::size_t index, int day) const;
    void paintHours(QPainter& painter, const CalendarNight& night, const QRectF& place) const;
    Span m_span;
    std::vector<CalendarNight> m_nights;
    QString m_chosen, m_sentence;
    std::vector<MoonCell> m_missing;
    QString m_grid;
    bool m_south = false;
};

} // namespace caelumen
