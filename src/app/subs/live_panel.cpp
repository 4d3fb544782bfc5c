#include "app/subs/live_panel.h"

#include "app/widgets/core_words.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QDateTime>
#include <QGuiApplication>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QSignalBlocker>
#include <QTableWidget>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <cmath>

namespace caelumen {
namespace {

QString times(double ratio) {
    return localNumber(ratio, 'g', 3);
}

QString wordOf(const LivePair& p) {
    switch (p.word) {
    case LiveWord::TooEarly:
        return QObject::tr("too early");
    case LiveWord::GoOn:
        return p.moreSubs ? QObject::tr("go on, about %1 more").arg(std::max(1, *p.moreSubs)) : QObject::tr("go on");
    case LiveWord::ToldApart:
        return QObject::tr("told apart: stop");
    case LiveWord::Alike:
        return QObject::tr("alike: stop");
    case LiveWord::NotTonight:
        return p.moreSubs ? QObject::tr("not tonight: %1 more").arg(*p.moreSubs) : QObject::tr("not tonight");
    }
    return {};
}

QString odds(double logEvidence) {
    const double ten = logEvidence / std::log(10.0);
    if (ten > 6) return QString::fromUtf8("> 10\u2076 : 1");
    return ten >= 0 ? QObject::tr("%1 : 1").arg(localNumber(std::pow(10, ten), 'g', 2)) : QObject::tr("1 : %1").arg(localNumber(std::pow(10, -ten), 'g', 2));
}

} // namespace

LivePanel::LivePanel(SubsModel& subs, QWidget* parent)
    : QWidget(parent)
    , m_watch(subs)
    , m_head(new QLabel)
    , m_words(new QLabel)
    , m_table(new QTableWidget)
    , m_plot(new QCustomPlot) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(6, 8, 6, 4);
    m_head->setWordWrap(true);
    m_head->setObjectName("dim");
    layout->addWidget(m_head);
    m_table->setObjectName("liveTable");
    plainTable(*m_table, tr("Evidence for each pair of filters"));
    m_table->installEventFilter(this);
    layout->addWidget(m_table, 3);
    m_words->setWordWrap(true);
    m_words->setTextInteractionFlags(Qt::TextSelectableByMouse);
    layout->addWidget(m_words);
    m_plot->setObjectName("livePlot");
    m_plot->setMinimumHeight(150);
    layout->addWidget(m_plot, 2);
    connect(m_table, &QTableWidget::itemSelectionChanged, this, &LivePanel::fillPlot);
    connect(&m_watch, &LiveWatch::changed, this, &LivePanel::fill);
    connect(&m_watch, &LiveWatch::toldApart, this, &LivePanel::told);
    fill();
}

void LivePanel::setZone(const QTimeZone& zone) {
    if (zone == m_zone) return;
    m_zone = zone;
    fillPlot();
}

void LivePanel::fill() {
    const LiveNight& night = m_watch.night();
    const auto& pairs = m_watch.stop().pairs;
    if (night.filters.size() < 2) {
        m_head->setText(
            tr("Swap filters in blocks (A B B A): as subs of two filters or more land, the evidence for each pair grows here, with errors that stay "
               "honest however often you look. More > Start the virtual camera shows it."));
    } else {
        QString text = tr("In at most one night of twenty is anything here told apart that does not differ, however often you look. This weighs sky, stars and "
                          "sharpness of single subs; the nebula needs stacks and the Bench.");
        if (const auto& left = m_watch.left())
            text += " " + tr("%1 h %2 min are left until %3.")
                              .arg(static_cast<int>(left->seconds / 3600))
                              .arg(static_cast<int>(std::fmod(left->seconds, 3600) / 60))
                              .arg(QString::fromStdString(left->until));
        else
            text += " " + tr("How much of the night is left is not known: place or target are missing.");
        for (const std::string& note : night.notes) text += " " + QString::fromStdString(note);
        m_head->setText(text);
    }
    const int chosen = pairAt(m_table->currentRow());
    {
        const QSignalBlocker quiet(m_table);
        m_table->clear();
        m_table->clearSpans();
        m_table->setColumnCount(4);
        m_table->setHorizontalHeaderLabels({tr("quantity"), tr("ratio"), tr("bounds"), tr("says")});
        m_table->horizontalHeaderItem(2)->setToolTip(tr("Bounds that hold at all looks together"));
        m_table->setRowCount(0);
        std::pair<std::size_t, std::size_t> last{0, 0};
        const auto put = [&](int row, int column, int pair, const QString& text, const QString& tip) {
            auto* cell = new QTableWidgetItem(text);
            cell->setToolTip(tip);
            cell->setData(Qt::UserRole, pair);
            if (column == 1 || column == 2) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            m_table->setItem(row, column, cell);
            return cell;
        };
        const auto bold = [](QTableWidgetItem* cell) {
            QFont font = cell->font();
            font.setBold(true);
            cell->setFont(font);
        };
        for (int i = 0; i < static_cast<int>(pairs.size()); ++i) {
            const LivePair& p = pairs[static_cast<std::size_t>(i)];
            int r = m_table->rowCount();
            if (std::pair(p.a, p.b) != last) { // a heading for each pair of filters
                last = {p.a, p.b};
                m_table->insertRow(r);
                const QString both = tr("%1 against %2").arg(QString::fromStdString(night.filters[p.b]), QString::fromStdString(night.filters[p.a]));
                auto* head = put(r, 0, -1, both, both);
                bold(head);
                head->setFlags(Qt::ItemIsEnabled);
                m_table->setSpan(r, 0, 1, 4);
                ++r;
            }
            m_table->insertRow(r);
            const QString sentence = QString::fromStdString(p.sentence(night.filters)), none = QString::fromUtf8("\u2013");
            put(r, 0, i, coreWord(liveQuantityName(p.quantity)) + (p.channel.empty() ? QString() : " " + QString::fromStdString(p.channel)), sentence);
            put(r, 1, i, p.evidence.empty() ? none : times(p.ratio()), sentence);
            put(r, 2, i, p.lowRatio() ? tr("%1 to %2").arg(times(*p.lowRatio()), times(*p.highRatio())) : none, sentence);
            auto* says = put(r, 3, i, wordOf(p),
                             p.evidence.empty() ? sentence : tr("%1\nOdds against no difference: %2").arg(sentence, odds(p.evidence.back().logEvidence)));
            if (p.word == LiveWord::ToldApart || p.word == LiveWord::Alike) bold(says);
            if (p.word == LiveWord::NotTonight) says->setForeground(theme().warn);
        }
        m_table->resizeColumnsToContents();
        for (int r = 0; r < m_table->rowCount(); ++r)
            if (pairAt(r) == std::max(0, chosen)) m_table->selectRow(r);
    }
    m_table->setVisible(!pairs.empty()), m_plot->setVisible(!pairs.empty()), m_words->setVisible(!pairs.empty());
    fillPlot();
}

/// Which of the pairs a row is about; -1 for a heading.
int LivePanel::pairAt(int row) const {
    const QTableWidgetItem* cell = row >= 0 ? m_table->item(row, 0) : nullptr;
    return cell ? cell->data(Qt::UserRole).toInt() : -1;
}

void LivePanel::fillPlot() {
    const auto& pairs = m_watch.stop().pairs;
    const int row = pairAt(m_table->currentRow());
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    if (row < 0 || row >= static_cast<int>(pairs.size())) {
        m_words->clear();
        m_plot->replot(QCustomPlot::rpQueuedReplot);
        return;
    }
    const LivePair& p = pairs[static_cast<std::size_t>(row)];
    m_words->setText(QString::fromStdString(p.sentence(m_watch.night().filters)));
    const double epoch = (m_watch.night().start - 2440587.5) * 86400;
    QVector<double> t, value, low, high;
    double least = 1e300, most = -1e300;
    for (const LiveEvidence& e : p.evidence) {
        t << epoch + e.second, value << std::exp(e.difference);
        low << (e.low ? std::exp(std::max(*e.low, e.difference - 3)) : std::exp(e.difference - 3));
        high << (e.high ? std::exp(std::min(*e.high, e.difference + 3)) : std::exp(e.difference + 3));
    }
    // The scale follows what is known by now; wide bounds of the beginning may leave it.
    if (!t.isEmpty()) {
        const double span = std::max({std::log(high.last() / low.last()), std::abs(std::log(value.last())), 0.02});
        least = std::min(1.0, value.last()) * std::exp(-0.3 * span), most = std::max(1.0, value.last()) * std::exp(0.3 * span);
    } else {
        least = 0.5, most = 2;
    }
    auto* below = m_plot->addGraph();
    auto* above = m_plot->addGraph();
    QColor band = theme().accent;
    band.setAlpha(60);
    below->setData(t, low, true), above->setData(t, high, true);
    for (QCPGraph* g : {below, above}) g->setPen(QPen(theme().dim, 1, Qt::DotLine)), g->setLineStyle(QCPGraph::lsStepLeft);
    above->setBrush(band), above->setChannelFillGraph(below);
    auto* line = m_plot->addGraph();
    line->setData(t, value, true);
    line->setPen(QPen(theme().text, 1.6)), line->setLineStyle(QCPGraph::lsStepLeft);
    auto* none = m_plot->addGraph();
    const double from = t.isEmpty() ? epoch + m_watch.night().latest - 3600 : t.first(), to = t.isEmpty() ? epoch + m_watch.night().latest : t.last() + 600;
    none->setData({from, to}, {1.0, 1.0}, true);
    none->setPen(QPen(theme().dim, 1, Qt::DashLine));
    if (p.toldAt) {
        auto* mark = new QCPItemStraightLine(m_plot);
        mark->point1->setCoords(epoch + *p.toldAt, least), mark->point2->setCoords(epoch + *p.toldAt, most);
        mark->setPen(QPen(theme().accent, 1.4));
    }
    QSharedPointer<QCPAxisTickerDateTime> clock(new QCPAxisTickerDateTime);
    clock->setDateTimeFormat("HH:mm");
    if (m_zone.isValid())
        clock->setTimeZone(m_zone);
    else
        clock->setDateTimeSpec(Qt::UTC);
    clock->setTickCount(4);
    m_plot->xAxis->setTicker(clock);
    m_plot->xAxis->setLabel(m_zone.isValid() ? tr("time") : tr("UTC"));
    if (most > 4 * least) { // else a straight scale is easier to read
        m_plot->yAxis->setScaleType(QCPAxis::stLogarithmic);
        m_plot->yAxis->setTicker(QSharedPointer<QCPAxisTickerLog>(new QCPAxisTickerLog));
        m_plot->yAxis->setNumberFormat("gb");
    }
    m_plot->yAxis->setLabel(tr("ratio"));
    m_plot->xAxis->setRange(from, to);
    m_plot->yAxis->setRange(least, most);
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

QString LivePanel::text() const {
    return tableText(*m_table);
}

bool LivePanel::eventFilter(QObject* of, QEvent* event) {
    if (of == m_table && event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->matches(QKeySequence::Copy)) {
        QGuiApplication::clipboard()->setText(text());
        return true;
    }
    return QWidget::eventFilter(of, event);
}

void LivePanel::themeChanged() {
    fill();
}

} // namespace caelumen
