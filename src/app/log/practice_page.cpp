#include "app/log/practice_page.h"

#include "app/log/log_model.h"
#include "app/session.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/plot_style.h"
#include "app/widgets/theme.h"
#include "core/base/json_fields.h"
#include "core/compare/scores.h"
#include "report/local_number.h"

#include <QComboBox>
#include <QDateTime>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QPushButton>
#include <QRandomGenerator>
#include <QSlider>
#include <QSplitter>
#include <QTableWidget>
#include <QVBoxLayout>
#include <qcustomplot.h>

#include <cmath>

namespace caelumen {
namespace {

QImage imageOf(const Plane& p) {
    QImage out(p.width(), p.height(), QImage::Format_Grayscale8);
    for (int y = 0; y < p.height(); ++y) { // the first stored row is the lowest one
        uchar* to = out.scanLine(p.height() - 1 - y);
        for (int x = 0; x < p.width(); ++x) to[x] = static_cast<uchar>(std::lround(255 * p.at(x, y)));
    }
    return out.convertToFormat(QImage::Format_RGB32);
}

} // namespace

ExerciseView::ExerciseView(QWidget* parent)
    : QWidget(parent) {
    setMinimumSize(420, 200);
    setAccessibleName(tr("Pictures of the exercise"));
}

void ExerciseView::show(const EyeExercise* exercise, const QStringList& names) {
    m_images.clear();
    m_names = names;
    m_revealed = false;
    m_radius = 0;
    if (exercise) {
        m_kind = exercise->kind, m_star = exercise->star, m_truth = exercise->truth;
        for (const Plane& p : exercise->pictures) m_images.push_back(imageOf(p));
    }
    update();
}

void ExerciseView::setRadius(double radius) {
    m_radius = radius;
    update();
}

void ExerciseView::reveal(bool on) {
    m_revealed = on;
    update();
}

QRectF ExerciseView::frameOf(int picture) const {
    if (m_images.empty()) return {};
    const double gap = 8, caption = 20, n = static_cast<double>(m_images.size());
    const QSizeF each(m_images.front().width(), m_images.front().height());
    const double scale = std::min((width() - gap * (n - 1)) / (n * each.width()), (height() - caption) / each.height());
    const QSizeF shown = each * scale;
    const double left = (width() - n * shown.width() - gap * (n - 1)) / 2;
    return {QPointF(left + picture * (shown.width() + gap), caption), shown};
}

QPointF ExerciseView::placeOf(Point p) const {
    const QRectF f = frameOf(0);
    const double scale = f.width() / m_images.front().width();
    return {f.left() + (p.x + 0.5) * scale, f.bottom() - (p.y + 0.5) * scale};
}

void ExerciseView::paintEvent(QPaintEvent*) {
    QPainter p(this);
    p.setRenderHints(QPainter::SmoothPixmapTransform | QPainter::Antialiasing);
    if (m_images.empty()) {
        p.setPen(theme().dim);
        p.drawText(rect(), Qt::AlignCenter | Qt::TextWordWrap, tr("Choose what to practise, and begin."));
        return;
    }
    for (int i = 0; i < static_cast<int>(m_images.size()); ++i) {
        const QRectF f = frameOf(i);
        p.drawImage(f, inThemeLight(m_images[static_cast<std::size_t>(i)]));
        p.setPen(theme().text);
        p.drawText(QRectF(f.left(), 0, f.width(), 18), Qt::AlignLeft | Qt::AlignVCenter, m_names.value(i));
    }
    if (m_kind != ExerciseKind::Halo) return;
    const double scale = frameOf(0).width() / m_images.front().width();
    p.setClipRect(frameOf(0));
    const auto circle = [&](double radius, const QPen& pen) {
        p.setPen(pen);
        p.drawEllipse(placeOf(m_star), radius * scale, radius * scale);
    };
    if (m_radius > 0) circle(m_radius, QPen(theme().accent, 1.4, Qt::DashLine));
    if (m_revealed) circle(m_truth, QPen(theme().text, 1.4));
}

void ExerciseView::pull(const QPointF& at) {
    if (m_kind != ExerciseKind::Halo || m_images.empty() || m_revealed) return;
    const QPointF d = at - placeOf(m_star);
    const double radius = std::hypot(d.x(), d.y()) * m_images.front().width() / frameOf(0).width();
    emit radiusChosen(radius);
}

void ExerciseView::mousePressEvent(QMouseEvent* event) {
    if (m_kind == ExerciseKind::Halo) return pull(event->position());
    for (int i = 0; i < static_cast<int>(m_images.size()); ++i)
        if (frameOf(i).contains(event->position())) emit pictureChosen(i);
}

void ExerciseView::mouseMoveEvent(QMouseEvent* event) {
    if (event->buttons() & Qt::LeftButton) pull(event->position());
}

PracticePage::PracticePage(LogModel& log, Session& session, QWidget* parent)
    : QWidget(parent)
    , m_log(log)
    , m_session(session)
    , m_kind(new QComboBox)
    , m_ease(panelSlider(0, 100, 60, tr("How large differences are")))
    , m_size(panelSlider(3, 180, 40, tr("Radius of the halo, pixels")))
    , m_view(new ExerciseView)
    , m_question(new QLabel)
    , m_words(new QLabel)
    , m_summary(new QLabel)
    , m_first(new QPushButton)
    , m_second(new QPushButton)
    , m_done(new QPushButton(tr("That is it")))
    , m_next(new QPushButton(tr("Begin")))
    , m_plot(new QCustomPlot)
    , m_looks(new QTableWidget) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    auto* row = new QHBoxLayout;
    m_kind->addItem(tr("Which filter shows the nebula sooner?"), static_cast<int>(ExerciseKind::Nebula));
    m_kind->addItem(tr("How large is the halo?"), static_cast<int>(ExerciseKind::Halo));
    m_kind->addItem(tr("Is the frame hazy?"), static_cast<int>(ExerciseKind::Haze));
    m_kind->setAccessibleName(tr("What to practise"));
    row->addWidget(m_kind);
    row->addWidget(new QLabel(tr("hard")));
    m_ease->setFixedWidth(110);
    row->addWidget(m_ease);
    row->addWidget(new QLabel(tr("easy")));
    row->addStretch(1);
    row->addWidget(m_next);
    layout->addLayout(row);
    auto* across = new QSplitter;
    auto* left = new QWidget;
    auto* column = new QVBoxLayout(left);
    column->setContentsMargins(0, 0, 6, 0);
    column->addWidget(m_view, 1);
    m_question->setWordWrap(true);
    column->addWidget(m_question);
    auto* answers = new QHBoxLayout;
    for (QWidget* w : std::initializer_list<QWidget*>{m_first, m_second, m_size, m_done}) answers->addWidget(w);
    column->addLayout(answers);
    m_words->setWordWrap(true);
    m_words->setMinimumHeight(36);
    m_words->setTextFormat(Qt::RichText);
    column->addWidget(m_words);
    across->addWidget(left);
    auto* right = new QWidget;
    auto* side = new QVBoxLayout(right);
    side->setContentsMargins(6, 0, 0, 0);
    side->addWidget(headingLabel(tr("How you do")));
    m_summary->setWordWrap(true);
    side->addWidget(m_summary);
    m_plot->setMinimumHeight(120);
    side->addWidget(m_plot, 1);
    side->addWidget(headingLabel(tr("Blind looks of this campaign")));
    plainTable(*m_looks, tr("Blind looks of this campaign"));
    m_looks->horizontalHeader()->setStretchLastSection(true);
    side->addWidget(m_looks, 1);
    across->addWidget(right);
    across->setStretchFactor(0, 1);
    across->setSizes({700, 330});
    across->setChildrenCollapsible(false);
    layout->addWidget(across, 1);
    connect(m_kind, &QComboBox::activated, this, [this] {
        m_exercise.reset();
        m_view->show(nullptr, {});
        fillControls();
        fill();
    });
    connect(m_next, &QPushButton::clicked, this, [this] { begin(kind()); });
    connect(m_first, &QPushButton::clicked, this, [this] { answer(kind() == ExerciseKind::Haze ? 0 : -1); });
    connect(m_second, &QPushButton::clicked, this, [this] { answer(1); });
    connect(m_done, &QPushButton::clicked, this, [this] { answer(m_view->radius()); });
    connect(m_size, &QSlider::valueChanged, m_view, &ExerciseView::setRadius);
    connect(m_view, &ExerciseView::radiusChosen, this, [this](double r) {
        if (m_exercise && !m_answered) m_size->setValue(static_cast<int>(std::lround(r)));
    });
    connect(m_view, &ExerciseView::pictureChosen, this, [this](int picture) {
        if (m_exercise && !m_answered && kind() == ExerciseKind::Nebula) answer(picture == 0 ? -1 : 1);
    });
    connect(&m_session, &Session::campaignChanged, this, &PracticePage::fillLooks);
    fillControls();
    fill();
}

ExerciseKind PracticePage::kind() const {
    return static_cast<ExerciseKind>(m_kind->currentData().toInt());
}

void PracticePage::begin(ExerciseKind kind, std::optional<unsigned long long> seed) {
    const unsigned long long from = seed ? *seed : QRandomGenerator::global()->generate();
    const double ease = m_ease->value() / 100.0;
    m_words->clear();
    m_next->setEnabled(false);
    m_jobs.run("exercise", tr("Photographing"), [this, kind, from, ease](const Job&) -> JobService::Finish {
        return [this, made = std::make_shared<const EyeExercise>(makeEyeExercise(kind, from, ease))] {
            m_exercise = made;
            m_answered = false;
            const QStringList names = made->kind == ExerciseKind::Nebula ? QStringList{tr("First"), tr("Second")}
                                      : made->kind == ExerciseKind::Haze ? QStringList{tr("A clear night"), tr("And this one?")}
                                                                         : QStringList{tr("A bright star")};
            m_view->show(m_exercise.get(), names);
            if (made->kind == ExerciseKind::Halo) m_view->setRadius(m_size->value());
            fillControls();
        };
    });
}

void PracticePage::fillControls() {
    const bool asking = m_exercise && !m_answered;
    const ExerciseKind k = kind();
    m_question->setText(k == ExerciseKind::Nebula
                            ? tr("Both were exposed alike, each stretched from its own sky. Through which filter does the nebula come out in less time?")
                        : k == ExerciseKind::Halo ? tr("Draw the circle out to the edge of the halo: drag in the picture, or move the slider.")
                                                  : tr("The same field on another night. Is it hazy? A sky that is merely brighter is not."));
    m_question->setVisible(m_exercise != nullptr);
    for (QWidget* w : std::initializer_list<QWidget*>{m_first, m_second}) w->setVisible(k != ExerciseKind::Halo), w->setEnabled(asking);
    for (QWidget* w : std::initializer_list<QWidget*>{m_size, m_done}) w->setVisible(k == ExerciseKind::Halo), w->setEnabled(asking);
    m_first->setText(k == ExerciseKind::Haze ? tr("Clear") : tr("The first"));
    m_second->setText(k == ExerciseKind::Haze ? tr("Hazy") : tr("The second"));
    m_next->setEnabled(!asking);
    m_next->setText(m_exercise ? tr("Next") : tr("Begin"));
}

void PracticePage::answer(double value) {
    if (!m_exercise || m_answered) return;
    const PracticeAnswer a = answerOf(*m_exercise, value, QDateTime::currentDateTimeUtc().toString(Qt::ISODate).toStdString());
    if (m_exercise->kind == ExerciseKind::Halo && value <= 0) return;
    m_answered = true;
    QString text = a.right ? tr("<b>Right.</b> ") : tr("<b>Not so.</b> ");
    switch (m_exercise->kind) {
    case ExerciseKind::Nebula:
        text += tr("The %1 needs %2 times less time for the same signal to noise.")
                    .arg(a.truth < 0 ? tr("first") : tr("second"))
                    .arg(localNumber(std::exp(std::abs(a.truth)), 'f', 2));
        break;
    case ExerciseKind::Halo:
        text += tr("Its radius is %1 pixels; you said %2 (%3 %).")
                    .arg(localNumber(a.truth, 'f', 0))
                    .arg(localNumber(a.answer, 'f', 0))
                    .arg(localNumber(100 * (a.answer / a.truth - 1), 'f', 0));
        m_view->reveal(true);
        break;
    case ExerciseKind::Haze:
        text += a.truth > 0 ? tr("Haze takes %1 % of the starlight.").arg(localNumber(100 * a.truth, 'f', 0)) : tr("It is clear.");
        break;
    }
    m_words->setText(text);
    fillControls();
    m_next->setFocus();
    m_log.addAnswer(a);
}

void PracticePage::fill() {
    const PracticeSummary s = summaryOf(m_log.answers(), kind());
    m_plot->clearPlottables();
    stylePlot(*m_plot);
    m_plot->setVisible(s.answers > 1);
    if (s.answers == 0) {
        m_summary->setText(tr("No answers of this kind yet. Everything is made up: truths are known, so that your eye can be held against them."));
    } else {
        QString text =
            tr("%1 of %2 right (%3 to %4 %).").arg(s.right).arg(s.answers).arg(localNumber(100 * s.low, 'f', 0)).arg(localNumber(100 * s.high, 'f', 0));
        if (const QString bias = QString::fromStdString(biasSentence(s, kind())); !bias.isEmpty()) text += " " + bias;
        m_summary->setText(text);
        QVector<double> x, y;
        for (std::size_t i = 0; i < s.progress.size(); ++i) x << static_cast<double>(i) + 1, y << 100 * s.progress[i];
        auto* g = m_plot->addGraph();
        g->setData(x, y, true);
        g->setPen(QPen(theme().accent, 1.6));
        if (kind() != ExerciseKind::Halo) { // what guessing gives
            auto* chance = m_plot->addGraph();
            chance->setData({0.0, static_cast<double>(s.progress.size()) + 1}, {50.0, 50.0});
            chance->setPen(QPen(theme().dim, 1, Qt::DashLine));
        }
        m_plot->xAxis->setLabel(tr("answers"));
        m_plot->yAxis->setLabel(tr("right of the last ten, %"));
        m_plot->xAxis->setRange(0.5, static_cast<double>(s.progress.size()) + 0.5);
        m_plot->yAxis->setRange(0, 104);
        m_plot->replot(QCustomPlot::rpQueuedReplot);
    }
    fillLooks();
}

void PracticePage::fillLooks() {
    m_looks->setRowCount(0);
    m_looks->setColumnCount(4);
    m_looks->setHorizontalHeaderLabels({tr("day"), tr("judged"), tr("agrees"), tr("trial")});
    const auto json = m_session.campaign() ? parseJson(m_session.kept("blind-looks").toStdString(), "the campaign") : Result<Json>(Error{""});
    if (!json || !json->is_array()) return;
    int agreed = 0, pairs = 0;
    for (const Json& look : *json) {
        if (!look.is_object()) continue;
        const JsonFields f(look, "the campaign", "a blind look");
        try {
            const int a = f.wholeOr("agreed", 0, 0, 10'000), n = f.wholeOr("pairs", 0, 0, 10'000);
            agreed += a, pairs += n;
            QString judged = QString::fromStdString(f.text("score"));
            for (const Score& s : scores())
                if (s.id == judged.toStdString()) judged = coreWord(s.label);
            const int row = m_looks->rowCount();
            m_looks->insertRow(row);
            const QStringList cells{QString::fromStdString(f.text("date")).left(10), judged,
                                    n > 0 ? tr("%1 of %2 pairs").arg(a).arg(n) : tr("nothing told apart"), QString::fromStdString(f.text("trial"))};
            for (int c = 0; c < cells.size(); ++c) {
                auto* cell = new QTableWidgetItem(cells[c]);
                cell->setToolTip(c == 2 ? QString::fromStdString(f.text("reasons")) : cells[c]);
                m_looks->setItem(row, c, cell);
            }
        } catch (const BadJson&) { // one that is damaged costs itself only
        }
    }
    if (pairs > 0) {
        const int row = m_looks->rowCount();
        m_looks->insertRow(row);
        m_looks->setItem(row, 1, new QTableWidgetItem(tr("all")));
        m_looks->setItem(row, 2, new QTableWidgetItem(tr("%1 of %2 pairs").arg(agreed).arg(pairs)));
    }
    m_looks->resizeColumnsToContents();
}

void PracticePage::themeChanged() {
    m_view->update();
    fill();
}

} // namespace caelumen
