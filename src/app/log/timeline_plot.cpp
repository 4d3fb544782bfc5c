#include "app/log/timeline_plot.h"

#include "app/log/log_model.h"
#include "app/session.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "report/filter_style.h"

#include <QDateTime>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace caelumen {
namespace {

constexpr std::size_t kMostLanes = 14;

} // namespace

TimelinePlot::TimelinePlot(LogModel& log, const Session& session, QWidget* parent)
    : QWidget(parent)
    , m_log(log)
    , m_session(session)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 4, 0, 0);
    layout->addWidget(m_plot);
    m_plot->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    m_plot->axisRect()->setRangeDrag(Qt::Horizontal);
    m_plot->axisRect()->setRangeZoom(Qt::Horizontal);
    m_plot->setToolTip(tr("Wheel: more or less time. Drag: earlier and later. A click chooses a run, a double click shows all time."));
    connect(m_plot, &QCustomPlot::mouseRelease, this, [this](QMouseEvent* e) {
        if (e->button() == Qt::LeftButton) clicked(e->pos());
    });
    connect(m_plot, &QCustomPlot::mouseDoubleClick, this, [this] {
        m_of.clear();
        fill();
    });
}

void TimelinePlot::fill() {
    m_plot->clearPlottables();
    m_plot->clearItems();
    m_marks.clear();
    stylePlot(*m_plot);
    const auto entries = m_log.foundEntries();
    std::map<std::string, double> hours;
    for (const LogEntry* e : entries)
        if (!e->night.empty()) hours[e->filter.empty() ? "?" : e->filter] += e->total_s.value_or(0) + 1;
    std::vector<std::string> lanes;
    for (const auto& [filter, h] : hours) lanes.push_back(filter);
    std::stable_sort(lanes.begin(), lanes.end(), [&](const auto& a, const auto& b) { return hours[a] > hours[b]; });
    const bool others = lanes.size() > kMostLanes;
    if (others) lanes.resize(kMostLanes - 1);
    const auto styles = filterStyles(m_session.trial(), lanes, theme().isRed());
    QSharedPointer<QCPAxisTickerText> names(new QCPAxisTickerText);
    const double rows = static_cast<double>(lanes.size()) + (others ? 1 : 0);
    std::map<std::string, double> laneOf;
    for (std::size_t i = 0; i < lanes.size(); ++i) {
        laneOf[lanes[i]] = rows - 1 - static_cast<double>(i);
        names->addTick(laneOf[lanes[i]], QFontMetrics(m_plot->font()).elidedText(QString::fromStdString(lanes[i]), Qt::ElideRight, 150));
    }
    if (others) names->addTick(0, tr("others"));
    // Three sizes of marks for each filter: QCustomPlot draws marks of one size in one go.
    constexpr double kLong[] = {1800, 7200, 1e30};
    constexpr double kSize[] = {3.5, 5, 7};
    std::map<std::pair<double, int>, std::pair<QVector<double>, QVector<double>>> points;
    double first = 1e300, last = -1e300;
    for (const LogEntry* e : entries) {
        const QDate night = QDate::fromString(QString::fromStdString(e->night), Qt::ISODate);
        if (!night.isValid()) continue;
        const auto it = laneOf.find(e->filter.empty() ? "?" : e->filter);
        const double lane = it == laneOf.end() ? 0 : it->second, day = static_cast<double>(QDateTime(night, QTime(12, 0), Qt::UTC).toSecsSinceEpoch());
        const int size = e->total_s.value_or(0) < kLong[0] ? 0 : e->total_s.value_or(0) < kLong[1] ? 1 : 2;
        auto& [x, y] = points[{lane, size}];
        x << day, y << lane;
        m_marks.push_back({day, lane, e->uid});
        first = std::min(first, day), last = std::max(last, day);
    }
    for (const auto& [key, xy] : points) {
        auto* g = m_plot->addGraph();
        g->setData(xy.first, xy.second);
        g->setLineStyle(QCPGraph::lsNone);
        FilterStyle style;
        const auto lane = std::find_if(laneOf.begin(), laneOf.end(), [&](const auto& l) { return l.second == key.first; });
        const auto known = lane == laneOf.end() ? styles.end() : styles.find(lane->first);
        if (known != styles.end()) style = known->second;
        const QColor colour = known != styles.end() ? style.colour : theme().dim;
        g->setScatterStyle(QCPScatterStyle(style.marker(kSize[key.second]), QPen(colour, 1), QBrush(colour), 6)); // a path is drawn as it is at size 6
    }
    QSharedPointer<QCPAxisTickerDateTime> dates(new QCPAxisTickerDateTime);
    dates->setDateTimeSpec(Qt::UTC);
    const QString of = m_log.query() + "|" + QString::number(entries.size());
    if (of != m_of && first <= last) { // another search: all of it
        m_of = of;
        const double margin = std::max(10 * 86400.0, 0.04 * (last - first));
        m_plot->xAxis->setRange(first - margin, last + margin);
    }
    dates->setDateTimeFormat(m_plot->xAxis->range().size() > 3 * 365 * 86400.0 ? "yyyy"
                             : m_plot->xAxis->range().size() > 120 * 86400.0   ? "MMM yyyy"
                                                                               : "d MMM yyyy");
    dates->setTickCount(6);
    m_plot->xAxis->setTicker(dates);
    m_plot->yAxis->setTicker(names);
    m_plot->yAxis->setRange(-0.7, std::max(1.0, rows) - 0.3);
    m_plot->yAxis->setLabel({});
    m_plot->yAxis->grid()->setZeroLinePen(m_plot->yAxis->grid()->pen());
    markChosen();
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void TimelinePlot::markChosen() {
    m_plot->clearItems();
    for (const Mark& m : m_marks)
        if (m.uid == m_chosen) {
            auto* line = new QCPItemStraightLine(m_plot);
            line->point1->setCoords(m.day, 0), line->point2->setCoords(m.day, 1);
            line->setPen(QPen(theme().accent, 1));
        }
    if (m_marks.empty()) {
        auto* text = new QCPItemText(m_plot);
        text->position->setType(QCPItemPosition::ptAxisRectRatio);
        text->position->setCoords(0.5, 0.5);
        text->setText(tr("No run with a date is found."));
        text->setColor(theme().dim);
    }
}

void TimelinePlot::choose(const std::string& uid) {
    m_chosen = uid;
    markChosen();
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

QPoint TimelinePlot::placeOf(const std::string& uid) const {
    for (const Mark& m : m_marks)
        if (m.uid == uid) return QPointF(m_plot->xAxis->coordToPixel(m.day), m_plot->yAxis->coordToPixel(m.lane)).toPoint();
    return {};
}

void TimelinePlot::clicked(const QPoint& at) {
    constexpr double kReach = 12;
    const Mark* best = nullptr;
    double nearest = kReach;
    for (const Mark& m : m_marks) {
        const double d = std::hypot(m_plot->xAxis->coordToPixel(m.day) - at.x(), m_plot->yAxis->coordToPixel(m.lane) - at.y());
        if (d < nearest || (d == nearest && best && best->uid == m_chosen)) nearest = d, best = &m; // several in one place come in turn
    }
    if (best) emit chosen(best->uid);
}

} // namespace caelumen
