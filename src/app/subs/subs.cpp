#include "app/subs/subs.h"

#include "app/subs/live_panel.h"
#include "app/subs/run_table.h"
#include "app/subs/sub_view.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/place_zone.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "report/filter_style.h"
#include "report/local_number.h"

#include <QAbstractButton>
#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QDateTime>
#include <QDoubleSpinBox>
#include <QFormLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTabWidget>
#include <QTableView>
#include <QTimeZone>
#include <QToolButton>
#include <QVBoxLayout>

#include <cmath>

namespace caelumen {
namespace {

QString hours(double s) {
    return s >= 3600 ? QObject::tr("%1 h %2 min").arg(static_cast<int>(s / 3600)).arg(static_cast<int>(std::fmod(s, 3600) / 60))
           : s >= 60 ? QObject::tr("%1 min").arg(localNumber(s / 60, 'f', s < 600 ? 1 : 0))
                     : QObject::tr("%1 s").arg(localNumber(s, 'f', 0));
}

} // namespace

Subs::Subs(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_runs(new QListWidget)
    , m_others(new QListWidget)
    , m_where(new QLabel)
    , m_summary(new QLabel)
    , m_notes(new QLabel)
    , m_cameraText(new QLabel)
    , m_addFolder(new QPushButton(tr("Add a folder \u2026")))
    , m_stackRun(new QPushButton(tr("Stack this run \u2026")))
    , m_stackAll(new QPushButton(tr("Stack all runs for the Bench \u2026")))
    , m_lines(new QPushButton(tr("Separate the lines")))
    , m_cancel(new QPushButton(tr("Cancel")))
    , m_more(new QToolButton)
    , m_playButton(quietButton(QString::fromUtf8("\u25B6"), tr("Play (Space)")))
    , m_whole(quietButton(tr("Whole frame"), tr("The whole frame, or one to one (Z)")))
    , m_view(new SubView)
    , m_chart(new SubChart)
    , m_quantity(new QComboBox)
    , m_mosaic(choices({tr("half size, nothing made up"), tr("full size, interpolated")},
                       tr("Half size: each 2x2 cell gives R, the mean of both G, and B. Full size: each colour is interpolated from its own sites"),
                       tr("Mosaic")))
    , m_method(choices({tr("mean"), tr("median")}, tr("The mean of what is not rejected, or the median"), tr("Combination")))
    , m_reject(choices({tr("nothing"), tr("beyond sigmas"), tr("beyond winsorised sigmas")}, tr("Values that the others contradict: satellites, cosmic rays"),
                       tr("Rejection")))
    , m_normalise(choices({tr("nothing"), tr("sky"), tr("sky and stars")},
                          tr("What is made alike before subs are combined: the stack keeps the mean sky either way. Recorded in its header"), tr("Made alike")))
    , m_weights(choices({tr("all alike"), tr("by their noise")}, tr("All subs alike keeps the stack a plain mean"), tr("Weights")))
    , m_flats(choices(
          {tr("divided"), tr("subtracted")},
          tr("Divided out; or frames through a diffuser, as long as the subs, subtracted: takes glow and rings away too, but does not correct transmission"),
          tr("Flats")))
    , m_pace(choices({tr("every second"), tr("every 3 s"), tr("every 10 s"), tr("every 2 min")}, tr("How fast the virtual camera takes subs"), tr("Pace")))
    , m_cameraRow(new QWidget)
    , m_halves(new QCheckBox(tr("odd and even halves beside it")))
    , m_maps(new QCheckBox(tr("coverage, rejection and noise maps")))
    , m_low(new QDoubleSpinBox)
    , m_high(new QDoubleSpinBox)
    , m_table(new QTableView)
    , m_runTable(new RunTable(m_model))
    , m_live(new LivePanel(m_model))
    , m_follow(quietButton(tr("Follow"), tr("While a folder is watched, show each sub as it lands (L)")))
    , m_tabs(new QTabWidget)
    , m_across(new QSplitter)
    , m_down(new QSplitter(Qt::Vertical)) {
    connect(&m_lineJobs, &JobService::failed, this, &Subs::problem);
    for (QLabel* rich : {m_summary, m_notes}) rich->setTextFormat(Qt::RichText); // names in them are masked
    setFocusPolicy(Qt::StrongFocus);
    setAccessibleName(tr("Subs"));
    m_table->setTabKeyNavigation(false); // Tab goes on to the next control
    m_across->addWidget(buildLeft());
    m_across->addWidget(buildMiddle());
    m_across->addWidget(buildRight());
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({224, 536, 520});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

    buildActions();
    connectAll();
    fill();
    fillControls();
}

void Subs::buildActions() {
    const auto act = [this](const QString& text, const QString& key, auto slot) {
        auto* a = new QAction(text, this);
        a->setShortcut(QKeySequence(key));
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        connect(a, &QAction::triggered, this, slot);
        addAction(a);
        m_actions << a;
    };
    act(tr("Keep this sub"), "K", [this] { overrule(SubsModel::Word::Keep); });
    act(tr("Leave this sub out"), "X", [this] { overrule(SubsModel::Word::Reject); });
    act(tr("Take it as judged"), "J", [this] { overrule(SubsModel::Word::Judged); });
    act(tr("Play the subs"), "Space", [this] { play(!playing()); });
    act(tr("Whole frame or one to one"), "Z", [this] { m_view->setFits(!m_view->fits()); });
    act(tr("Follow the subs that land"), "L", [this] { m_follow->toggle(); });
    act(tr("Next sub that is left out"), "N", [this] {
        const auto& subs = m_model.run().subs;
        for (int i = m_sub + 1; i < static_cast<int>(subs.size()); ++i)
            if (!subs[static_cast<std::size_t>(i)].keep) return showSub(i);
    });
}

void Subs::connectAll() {
    for (QWidget* w : std::initializer_list<QWidget*>{m_table, m_runs, m_others}) w->installEventFilter(this);
    for (QAbstractButton* b : findChildren<QAbstractButton*>()) b->installEventFilter(this);
    m_play.setInterval(250);
    connect(&m_play, &QTimer::timeout, this, [this] {
        const auto n = static_cast<int>(m_model.run().subs.size());
        if (n == 0 || (m_sub >= 0 && m_model.picture(static_cast<std::size_t>(m_sub)).isNull())) return; // wait for its picture
        showSub((m_sub + 1) % n);
    });
    connect(&m_model, &SubsModel::groupsChanged, this, &Subs::fill);
    connect(&m_model, &SubsModel::runChanged, this, &Subs::fillRun);
    connect(&m_session, &Session::trialChanged, this, [this] {
        if (zone() != m_zone) fillRun();
    });
    connect(&m_model, &SubsModel::pictureReady, this, [this](int sub) {
        if (sub == m_sub) fillSub();
    });
    connect(&m_model, &SubsModel::landed, this, &Subs::hearLanded);
    connect(&m_model, &SubsModel::problem, this, &Subs::problem);
    connect(&m_model, &SubsModel::stacked, this, &Subs::finished);
    connect(&m_model, &SubsModel::watchChanged, this, &Subs::fill);
    connect(m_live, &LivePanel::told, this, &Subs::told);
    connect(&m_camera, &VirtualCamera::problem, this, &Subs::problem);
    connect(&m_camera, &VirtualCamera::changed, this, &Subs::fill);
    JobService& jobs = m_model.jobs();
    connect(&jobs, &JobService::started, this, [this](const QString& title) { m_where->setText(title), m_cancel->show(); });
    connect(&jobs, &JobService::progressed, this, [this](double part, const QString& what, int left) {
        m_where->setText(left >= 0 ? tr("%1 %, %2, about %3 s left").arg(static_cast<int>(100 * part)).arg(what).arg(left) : what);
    });
    connect(&jobs, &JobService::idle, this, [this] { m_where->clear(), m_cancel->hide(); });
    connect(m_cancel, &QPushButton::clicked, this, [this] {
        m_model.jobs().cancel();
        m_where->setText(tr("Stopped; what was measured is kept."));
    });
}

QTimeZone Subs::zone() const {
    return m_model.trialFits() ? placeZone(m_session.trial().site).zone : QTimeZone();
}

QString Subs::clock(const std::string& iso) const {
    const QDateTime t = QDateTime::fromString(QString::fromStdString(iso), Qt::ISODate);
    if (!t.isValid()) return {};
    return (m_zone.isValid() ? t.toTimeZone(m_zone) : t.toUTC()).toString("HH:mm");
}

int Subs::groupOf(const QListWidget* list) const {
    return list->currentItem() ? list->currentItem()->data(Qt::UserRole).toInt() : -1;
}

void Subs::fill() {
    m_filling = true;
    m_runs->clear(), m_others->clear();
    int lights = 0;
    for (std::size_t i = 0; i < m_model.groups().size(); ++i) {
        const FrameGroup& g = m_model.groups()[i];
        QString text = QString::fromStdString(g.title());
        if (g.kind == FrameKind::Light)
            text += "\n" + (g.frames.size() == 1 ? tr("one sub, %1").arg(hours(g.total_s)) : tr("%1 subs, %2").arg(g.frames.size()).arg(hours(g.total_s)));
        if (const SubsRun* run = g.kind == FrameKind::Light ? m_model.runOf(static_cast<int>(i)) : nullptr; run && run->judged)
            text += tr("; kept %1, %2").arg(run->run.kept()).arg(hours(run->run.kept_s()));
        if (g.kind != FrameKind::Light) text += "\n" + (g.frames.size() == 1 ? tr("one frame") : tr("%1 frames").arg(g.frames.size()));
        auto* item = new QListWidgetItem(text, g.kind == FrameKind::Light ? m_runs : m_others);
        item->setData(Qt::UserRole, static_cast<int>(i));
        const bool guessed = m_model.frames()[g.frames.front()].guessed;
        item->setToolTip(tr("%1 x %2 pixels%3")
                             .arg(g.width)
                             .arg(g.height)
                             .arg(guessed ? tr("\nWhat they are was guessed from their names; More tells otherwise") : QString()));
        if (g.kind != FrameKind::Light) continue;
        if (static_cast<int>(i) == m_model.current()) m_runs->setCurrentItem(item);
        ++lights;
    }
    if (const QString bad = m_model.unusable(); !bad.isEmpty()) {
        auto* item = new QListWidgetItem(tr("Files left aside: %1").arg(bad.count('\n') + 1), m_others);
        item->setToolTip(bad.size() > 2000 ? bad.left(2000) + QString::fromUtf8(" \u2026") : bad);
        item->setFlags(Qt::ItemIsEnabled);
        item->setData(Qt::UserRole, -1);
        item->setForeground(theme().warn);
    }
    if (lights == 0) {
        auto* item = new QListWidgetItem(tr("None yet."), m_runs);
        item->setFlags(Qt::NoItemFlags);
        item->setData(Qt::UserRole, -1);
    }
    m_stackAll->setVisible(lights > 1);
    m_runTable->fill();
    m_follow->setVisible(!m_model.watched().isEmpty());
    m_cameraRow->setVisible(m_camera.running());
    if (m_camera.running())
        m_cameraText->setText(
            m_camera.planned() > 0
                ? tr("Virtual camera: %1 of %2 subs. Made up: nothing real is measured with it.").arg(m_camera.taken()).arg(m_camera.planned())
                : tr("Virtual camera: taking its calibration frames \u2026"));
    m_filling = false;
}

void Subs::fillControls() {
    m_filling = true;
    const SubsDecisions& d = m_model.decisions();
    for (const auto& [box, member] : m_limits) box->setValue(d.limits.*member);
    m_flats->setCurrentIndex(static_cast<int>(d.flats));
    m_mosaic->setCurrentIndex(static_cast<int>(d.mosaic));
    m_method->setCurrentIndex(static_cast<int>(d.combine.method));
    m_reject->setCurrentIndex(static_cast<int>(d.combine.reject));
    m_normalise->setCurrentIndex(static_cast<int>(d.combine.normalise));
    m_weights->setCurrentIndex(d.combine.weightByNoise ? 1 : 0);
    m_low->setValue(d.combine.low);
    m_high->setValue(d.combine.high);
    m_halves->setChecked(d.halves);
    m_maps->setChecked(d.maps);
    m_filling = false;
}

void Subs::fitColumns() {
    for (int c = 0; c < m_rows.columnCount() && m_rows.rowCount() > 0; ++c) {
        int width = m_table->horizontalHeader()->sectionSizeHint(c);
        for (const int row : m_rows.widest(c)) width = std::max(width, m_table->sizeHintForIndex(m_rows.index(row, c)).width());
        m_table->setColumnWidth(c, width);
    }
}

void Subs::fillRun() {
    fillControls();
    const JudgedRun& run = m_model.run();
    const auto n = static_cast<int>(run.subs.size());
    if (m_sub >= n) m_sub = n - 1;
    if (m_sub < 0 && n > 0) m_sub = 0;
    const std::optional<double> gain = m_model.measurer() ? m_model.measurer()->gain() : std::nullopt;
    const auto time = [this](const std::string& iso) { return clock(iso); };
    m_zone = zone();
    m_live->setZone(m_zone);
    m_filling = true;
    m_rows.show(&run, gain, time, m_zone.isValid() ? tr("time") : tr("UTC"));
    fitColumns();
    m_filling = false;

    QString text;
    if (n == 0) {
        text = m_model.groups().empty() ? tr("Drop a folder of subs, darks and flats here, or let the virtual camera take some (More).") : QString();
    } else if (!m_model.judged()) {
        int measured = 0;
        for (const JudgedSub& s : run.subs) measured += s.figures->measured();
        text = tr("%1 of %2 subs measured; they are judged against each other when all are.").arg(measured).arg(n);
    } else {
        text = tr("<b>%1 of %2 subs kept, %3.</b>").arg(run.kept()).arg(n).arg(hours(run.kept_s()));
        QStringList lost;
        for (const auto& [reason, seconds] : run.lost_s()) lost << tr("%1 %2").arg(coreWord(reasonName(reason)), hours(seconds));
        if (!lost.isEmpty()) text += tr(" Lost to: %1.").arg(lost.join(", "));
        for (const std::string& note : run.notes) text += "<br>" + QString::fromStdString(note).toHtmlEscaped();
        const std::string& channel = run.subs[run.reference].figures->channel;
        const SubsRun* mine = m_model.runOf(m_model.current());
        if (mine && mine->scale && mine->run.transparency()) {
            const double clear = mine->run.transparency()->mean;
            text += tr("<br>Its subs got %1 % of the clearest starlight of the night").arg(localNumber(100 * clear * mine->scale->factor, 'f', 0)) +
                    (mine->scale->sigma > 0 ? tr(" (\u00B1 %1 %).").arg(localNumber(std::max(1.0, 100 * clear * mine->scale->sigma), 'f', 0)) : tr("."));
        }
        if (mine && mine->moon) {
            const MoonResponse* moon = &*mine->moon;
            const double part = 100 * moon->slopeSigma / std::max(1e-12, std::abs(moon->slope));
            text += tr("<br>Moon: %1 %2 per 100 nL of modelled moonlight in %3 (\u00B1 %4 %), %5 without moon.")
                        .arg(localNumber(100 * moon->slope, 'g', 3))
                        .arg(gain ? tr("e\u207B/s/px") : tr("ADU/s"))
                        .arg(QString::fromStdString(channel))
                        .arg(localNumber(part, 'f', 0))
                        .arg(localNumber(moon->intercept, 'g', 3));
            if (const auto against = m_model.moonAgainstFirst(channel))
                text += tr(" That is %1 \u00B1 %2 of what the first run lets through.")
                            .arg(localNumber(against->value, 'g', 2))
                            .arg(localNumber(std::max(against->sigma, 0.001), 'g', 1));
        }
    }
    m_summary->setText(text);
    QString notes;
    if (const SubMeasurer* m = m_model.measurer()) {
        for (const std::string& line : m->calibration().history) notes += QString::fromStdString(line).toHtmlEscaped() + "<br>";
        for (const std::string& line : m->calibration().warnings)
            notes += QString("<span style='color:%1'>%2</span><br>").arg(theme().warn.name(), QString::fromStdString(line).toHtmlEscaped());
    }
    m_notes->setText(notes);
    const bool ready = m_model.judged() && run.kept() > 0;
    m_stackRun->setEnabled(ready);
    m_stackAll->setEnabled(ready);
    m_lines->setEnabled(!m_stacks.isEmpty());
    fillSub();
}

void Subs::fillSub() {
    const JudgedRun& run = m_model.run();
    SubChart::Content content;
    content.run = &run;
    content.quantity = static_cast<SubChart::Quantity>(m_quantity->currentData().toInt());
    content.limits = m_model.decisions().limits;
    content.gain = m_model.measurer() ? m_model.measurer()->gain() : std::nullopt;
    content.current = m_sub;
    content.colour = theme().accent;
    content.clock = [this](const std::string& iso) { return clock(iso); };
    m_chart->show(content);
    if (m_sub < 0 || m_sub >= static_cast<int>(run.subs.size())) {
        m_view->show({}, {}, false,
                     m_model.groups().empty()
                         ? tr("No subs yet. Drop a folder of subs, darks and flats on this window: they are told apart by their headers and names.")
                         : tr("No lights among these frames. Choose frames on the left and say under More what they are."),
                     {}, false);
        return;
    }
    const auto at = static_cast<std::size_t>(m_sub);
    const JudgedSub& s = run.subs[at];
    m_filling = true;
    if (m_table->currentIndex().row() != m_sub) m_table->setCurrentIndex(m_rows.index(m_sub, 0));
    m_filling = false;
    QPointF offset;
    bool flipped = false;
    const QImage image = m_model.picture(at);
    if (s.alignment && !image.isNull() && m_model.measurer()) {
        const FrameInfo& info = m_model.measurer()->like();
        const double pitch = static_cast<double>(info.width) / image.width();
        const Point there = s.alignment->map({0.5 * (info.width - 1), 0.5 * (info.height - 1)});
        offset = QPointF(there.x - 0.5 * (info.width - 1), there.y - 0.5 * (info.height - 1)) / pitch;
        flipped = std::abs(std::remainder(s.alignment->rotation_deg, 360)) > 90;
    }
    QString caption = tr("%1 of %2  %3").arg(m_sub + 1).arg(run.subs.size()).arg(QString::fromStdString(s.figures->file).section('/', -1));
    if (m_model.judged())
        caption += s.keep ? (s.byHand ? tr("   kept by you") : tr("   kept"))
                          : tr("   left out: %1").arg(s.words.empty() ? coreWord(reasonName(s.reason)) : QString::fromStdString(s.words));
    m_view->show(image, offset, flipped, s.figures->problem.empty() ? tr("Reading the sub \u2026") : QString::fromStdString(s.figures->problem), caption,
                 !s.keep);
    if (image.isNull()) m_model.wantPicture(at);
}

void Subs::hearLanded(int group, int sub) {
    if (m_follow->isChecked()) {
        if (group != m_model.current()) m_model.choose(group);
        showSub(sub);
    }
    const JudgedSub& s = m_model.runOf(group)->run.subs[static_cast<std::size_t>(sub)];
    if (!s.keep)
        emit problem(tr("Left out as it landed: %1 (%2). %3")
                         .arg(QString::fromStdString(s.figures->file).section('/', -1), coreWord(reasonName(s.reason)), QString::fromStdString(s.words)));
}

void Subs::showSub(int sub) {
    if (sub < 0 || sub >= static_cast<int>(m_model.run().subs.size())) return;
    m_sub = sub;
    fillSub();
}

void Subs::step(int by) {
    showSub(std::clamp(m_sub + by, 0, std::max(0, static_cast<int>(m_model.run().subs.size()) - 1)));
}

void Subs::play(bool on) {
    if (on && !m_model.run().subs.empty())
        m_play.start();
    else
        m_play.stop();
    m_playButton->setText(QString::fromUtf8(playing() ? "\u25A0" : "\u25B6"));
}

void Subs::overrule(SubsModel::Word word) {
    if (m_sub >= 0) m_model.overrule(static_cast<std::size_t>(m_sub), word);
}

void Subs::editDecisions(const QString& what, int merge, const std::function<void(SubsDecisions&)>& change) {
    SubsDecisions d = m_model.decisions();
    change(d);
    m_model.decide(what, d, merge);
}

/// Lists, tables and buttons have no use for these keys of their own; fields for text and tabs do.
bool Subs::eventFilter(QObject* of, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->modifiers() == Qt::NoModifier && (key->key() == Qt::Key_Left || key->key() == Qt::Key_Right)) {
            step(key->key() == Qt::Key_Right ? 1 : -1);
            return true;
        }
    }
    return QWidget::eventFilter(of, event);
}

void Subs::keyPressEvent(QKeyEvent* e) {
    if (e->key() == Qt::Key_Right || e->key() == Qt::Key_Left) return step(e->key() == Qt::Key_Right ? 1 : -1);
    if (e->key() == Qt::Key_Home) return showSub(0);
    if (e->key() == Qt::Key_End) return showSub(static_cast<int>(m_model.run().subs.size()) - 1);
    QWidget::keyPressEvent(e);
}

void Subs::showEvent(QShowEvent* e) {
    QWidget::showEvent(e);
    setFocus(); // its keys work at once
}

void Subs::themeChanged() {
    m_view->update();
    m_chart->update();
    m_live->themeChanged();
    fill();
    fillRun();
}

QByteArray Subs::saveLayout() const {
    QByteArray out;
    QDataStream to(&out, QIODevice::WriteOnly);
    to << m_across->saveState() << m_down->saveState();
    return out;
}

void Subs::restoreLayout(const QByteArray& state) {
    QByteArray across, down;
    QDataStream in(state);
    in >> across >> down;
    m_across->restoreState(across);
    m_down->restoreState(down);
}

} // namespace caelumen
