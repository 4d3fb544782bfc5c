#include "app/bench/evidence_plot.h"

#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"

#include <QClipboard>
#include <QComboBox>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QMouseEvent>
#include <QPushButton>
#include <QResizeEvent>
#include <QScrollArea>
#include <qcustomplot.h>

#include <algorithm>
#include <cmath>

namespace caelumen {

EvidencePlot::EvidencePlot(QWidget* parent)
    : QWidget(parent)
    , m_title(new QLabel)
    , m_kind(new QComboBox)
    , m_text(new QLabel)
    , m_plot(new QCustomPlot)
    , m_facts(new QPushButton(tr("Give the facts of this run \u2026"))) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(8, 6, 8, 6);
    layout->setSpacing(3);
    m_title->setObjectName("heading");
    m_title->setWordWrap(true);
    m_text->setObjectName("dim");
    m_text->setWordWrap(true);
    m_text->setTextInteractionFlags(Qt::TextSelectableByMouse);
    auto* top = new QHBoxLayout;
    top->addWidget(m_title, 1);
    top->addWidget(m_kind, 0, Qt::AlignTop);
    layout->addLayout(top);
    layout->addWidget(m_plot, 1);
    // Long words scroll: they never lie over the plot, however low the window is.
    auto* words = new QScrollArea;
    words->setWidget(m_text);
    words->setWidgetResizable(true);
    words->setFrameShape(QFrame::NoFrame);
    words->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    words->setFocusPolicy(Qt::NoFocus);
    words->setMinimumHeight(2 * fontMetrics().height() + 4);
    m_text->setAlignment(Qt::AlignLeft | Qt::AlignTop);
    layout->addWidget(words);
    m_wordsRoom = words;
    layout->addWidget(m_facts, 0, Qt::AlignLeft);
    layout->addStretch(0); // keeps the words at the top while there is no plot
    m_kind->setSizeAdjustPolicy(QComboBox::AdjustToContents);
    m_kind->setAccessibleName(tr("Kind of plot"));
    m_plot->setMinimumSize(180, 132);
    m_plot->setInteractions(QCP::iRangeDrag | QCP::iRangeZoom);
    m_plot->setContextMenuPolicy(Qt::CustomContextMenu);
    m_plot->setFocusPolicy(Qt::StrongFocus);
    m_plot->setAccessibleName(tr("Plot of the evidence"));
    connect(m_plot->yAxis, qOverload<const QCPRange&>(&QCPAxis::rangeChanged), this, &EvidencePlot::drawNear);
    connect(m_plot, &QCustomPlot::mouseRelease, this, [this](QMouseEvent* event) { clickedAt(event->position()); });
    connect(m_plot, &QCustomPlot::mouseDoubleClick, this, [this] {
        m_plot->xAxis->setRange(m_wholeX.first, m_wholeX.second);
        m_plot->yAxis->setRange(m_wholeY.first, m_wholeY.second);
        m_plot->replot();
    });
    connect(m_plot, &QWidget::customContextMenuRequested, this, &EvidencePlot::menu);
    connect(m_facts, &QPushButton::clicked, this, &EvidencePlot::factsAsked);
    connect(m_kind, &QComboBox::activated, this, [this](int index) {
        m_chosen[m_score] = index;
        emit kindChanged();
    });
    clear(tr("Click a value below to see where it comes from."));
}

void EvidencePlot::clear(const QString& why, bool factsWanted) {
    m_series.clear();
    m_stars.clear();
    m_facts->setVisible(factsWanted);
    m_kind->hide();
    m_plot->clearPlottables();
    m_plot->clearItems();
    stylePlot(*m_plot);
    m_plot->xAxis->setLabel({});
    m_plot->yAxis->setLabel({});
    m_plot->yAxis->setRangeReversed(false);
    m_plot->setVisible(false);
    m_title->setText(tr("Evidence"));
    m_text->setText(why);
    fitWords();
    m_plot->replot(QCustomPlot::rpQueuedReplot);
}

void EvidencePlot::offerKinds(const QString& score) {
    m_score = score;
    m_kind->clear();
    for (const EvidenceKind& kind : evidenceKinds())
        if (score == kind.score) m_kind->addItem(tr(kind.name));
    m_kind->setCurrentIndex(std::clamp(m_chosen[score], 0, std::max(0, m_kind->count() - 1)));
    m_kind->setVisible(m_kind->count() > 1);
}

void EvidencePlot::show(const QString& score, const EvidenceSubject& subject) {
    clear({});
    offerKinds(score);
    int index = m_kind->currentIndex();
    EvidenceDrawn drawn;
    for (const EvidenceKind& kind : evidenceKinds())
        if (score == kind.score && index-- == 0) drawn = kind.draw(*m_plot, subject);
    m_title->setText(drawn.title);
    m_text->setText(drawn.text);
    m_stars = std::move(drawn.stars);
    for (int g = 0; g < m_plot->graphCount(); ++g) {
        Series all{m_plot->graph(g), {}, {}};
        for (const QCPGraphData& d : *all.graph->data()) all.key << d.key, all.value << d.value;
        m_series.push_back(std::move(all));
    }
    drawNear(); // before it is seen: being shown draws it
    const bool any = m_plot->plottableCount() > 0;
    m_plot->setVisible(any);
    const std::string run = subject.run.toStdString();
    m_facts->setVisible(!any && run != subject.results.baseline && subject.trial.run(run));
    fitWords();
    if (drawn.map) { // rows count downwards, as on the picture
        m_plot->yAxis->setRangeReversed(true);
        m_plot->replot(); // the plot's own margins decide how much room there is
        const QRect room = m_plot->axisRect()->rect();
        const double per = std::max(m_plot->xAxis->range().size() / room.width(), m_plot->yAxis->range().size() / std::max(1, room.height()));
        m_plot->xAxis->setRange(m_plot->xAxis->range().center(), per * room.width(), Qt::AlignCenter);
        m_plot->yAxis->setRange(m_plot->yAxis->range().center(), per * room.height(), Qt::AlignCenter);
    }
    m_wholeX = {m_plot->xAxis->range().lower, m_plot->xAxis->range().upper};
    m_wholeY = {m_plot->yAxis->range().lower, m_plot->yAxis->range().upper};
    drawNear();
    m_plot->replot();
}

/// Near a star a halo's profile reaches millions of pixels beyond the plot, and a painter works its way through every line of them: half a minute for one
/// picture.
void EvidencePlot::drawNear() {
    const QCPRange range = m_plot->yAxis->range();
    for (const Series& s : m_series) {
        QVector<double> near;
        for (const double v : s.value) near << std::clamp(v, range.lower - range.size(), range.upper + range.size());
        s.graph->setData(s.key, near, true);
    }
}

/// A point of the colour diagram lights up its star.
void EvidencePlot::clickedAt(QPointF at) {
    double best = 8; // of the screen
    std::vector<Point> chosen;
    for (const auto& [point, star] : m_stars) {
        const double off = std::hypot(m_plot->xAxis->coordToPixel(point.x()) - at.x(), m_plot->yAxis->coordToPixel(point.y()) - at.y());
        if (off < best) best = off, chosen = {star};
    }
    if (!chosen.empty()) emit starsChosen(chosen);
}

/// The words get the height that they need, up to a third of the panel.
void EvidencePlot::fitWords() {
    const int needed = m_text->heightForWidth(std::max(60, width() - 18)) + 4;
    m_wordsRoom->setFixedHeight(std::clamp(
        needed, fontMetrics().height() + 4,
        std::max(2 * fontMetrics().height() + 4,
                 (m_plot->isVisibleTo(this) ? height() - m_title->heightForWidth(std::max(60, width() - 18)) - m_plot->minimumHeight() - 46 : height()))));
}

void EvidencePlot::resizeEvent(QResizeEvent* event) {
    QWidget::resizeEvent(event);
    fitWords();
}

QString EvidencePlot::words() const {
    return m_text->text();
}

QString EvidencePlot::csv() const {
    const auto number = [](double v) { return QString::number(v, 'g', 8); };
    QString out = m_title->text().remove(',') + "\n" + m_plot->xAxis->label() + "," + m_plot->yAxis->label() + "\n";
    for (const Series& s : m_series)
        for (int i = 0; i < s.key.size(); ++i) out += number(s.key[i]) + "," + number(s.value[i]) + "\n";
    for (int i = 0; i < m_plot->plottableCount(); ++i) {
        if (const auto* bars = qobject_cast<QCPBars*>(m_plot->plottable(i)))
            for (const QCPBarsData& d : *bars->data()) out += number(d.key) + "," + number(d.value) + "\n";
        if (const auto* map = qobject_cast<QCPColorMap*>(m_plot->plottable(i)))
            for (int y = 0; y < map->data()->valueSize(); ++y)
                for (int x = 0; x < map->data()->keySize(); ++x) {
                    double key = 0, value = 0;
                    map->data()->cellToCoord(x, y, &key, &value);
                    if (const double z = map->data()->cell(x, y); std::isfinite(z)) out += number(key) + "," + number(value) + "," + number(z) + "\n";
                }
    }
    return out;
}

void EvidencePlot::copyPicture() const {
    QGuiApplication::clipboard()->setPixmap(m_plot->toPixmap(m_plot->width(), m_plot->height(), 2));
}

void EvidencePlot::copyNumbers() const {
    QGuiApplication::clipboard()->setText(csv());
}

void EvidencePlot::menu(const QPoint& at) {
    QMenu menu(this);
    menu.addAction(tr("Copy the plot as a picture"), this, &EvidencePlot::copyPicture);
    menu.addAction(tr("Copy its numbers"), this, &EvidencePlot::copyNumbers);
    menu.addAction(tr("Save it as a picture (PNG) \u2026"), this, [this] { emit saveAsked("png"); });
    menu.addAction(tr("Save its numbers (CSV) \u2026"), this, [this] { emit saveAsked("csv"); });
    menu.exec(m_plot->mapToGlobal(at));
}

} // namespace caelumen
