#include "app/night/night.h"

#include "app/filter_curve.h"
#include "app/night/calendar_view.h"
#include "app/night/field_view.h"
#include "app/night/night_chart.h"
#include "app/night/night_text.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/place_zone.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QComboBox>
#include <QDateEdit>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QScrollBar>
#include <QSignalBlocker>
#include <QSplitter>
#include <QStyledItemDelegate>
#include <QTabWidget>
#include <QTextBrowser>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
Night::Night(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_date(new QDateEdit)
    , m_place(new QLabel)
    , m_search(new QLineEdit)
    , m_targets(new QListWidget)
    , m_filters(new QListWidget)
    , m_checks(new QListWidget)
    , m_subs(new QSpinBox)
    , m_rounds(new QSpinBox)
    , m_exposure(new QDoubleSpinBox)
    , m_lowest(new QDoubleSpinBox)
    , m_order(choices({tr("A B B A"), tr("square")},
                      tr("Mirrored blocks cancel a steady drift of sky, moon and altitude; a Latin square gives each filter each place once"), tr("Order")))
    , m_flip(choices({tr("wait for the flip"), tr("start flipped")}, tr("No block over the meridian, or a mount that starts on its far side and needs no flip"),
                     tr("Meridian")))
    , m_dusk(choices({tr("sun below \u221218\u00B0"), tr("sun below \u221212\u00B0")}, tr("Full darkness, or nautical twilight too"), tr("Twilight")))
    , m_star(new QComboBox)
    , m_lengths(choices({tr("for all"), tr("own each")}, tr("One length for all is fair; each its own, sky-limited, gathers faster but must be normalised"),
                        tr("Lengths")))
    , m_chart(new NightChart(m_model))
    , m_month(new CalendarView(CalendarView::Span::Month))
    , m_year(new CalendarView(CalendarView::Span::Year))
    , m_field(new FieldView(m_model))
    , m_tabs(new QTabWidget)
    , m_page(new QTextBrowser)
    , m_across(new QSplitter) {
    connect(&m_jobs, &JobService::failed, this, &Night::problem);
    connect(&m_model, &NightModel::failed, this, &Night::problem);
    auto* middle = new QWidget;
    auto* middleLayout = new QVBoxLayout(middle);
    middleLayout->setContentsMargins(4, 8, 4, 10);
    middleLayout->addWidget(buildControls());
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(m_chart, tr("This night"));
    m_tabs->addTab(m_month, tr("Month"));
    m_tabs->addTab(m_year, tr("Year"));
    m_tabs->addTab(m_field, tr("Frame"));
    middleLayout->addWidget(m_tabs, 1);

    auto* right = new QSplitter(Qt::Vertical);
    m_page->setOpenLinks(false);
    m_page->setFrameShape(QFrame::NoFrame);
    m_page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_page->document()->setDocumentMargin(10);
    m_page->setAccessibleName(tr("What the night proves"));
    right->addWidget(m_page);
    auto* checkBox = new QWidget;
    auto* checkLayout = new QVBoxLayout(checkBox);
    checkLayout->setContentsMargins(10, 4, 4, 8);
    checkLayout->addWidget(headingLabel(tr("Before and after")));
    m_checks->setWordWrap(true);
    m_checks->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_checks->setAccessibleName(tr("Checklist"));
    m_checks->setToolTip(tr("Space ticks the chosen point"));
    checkLayout->addWidget(m_checks, 1);
    right->addWidget(checkBox);
    right->setSizes({460, 200});
    right->setChildrenCollapsible(false);
    m_page->setMinimumWidth(290);

    QWidget* left = buildLeft();
    m_across->addWidget(left);
    m_across->addWidget(middle);
    m_across->addWidget(right);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({220, 690, 370});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);

    m_pageLater.setSingleShot(true);
    m_pageLater.setInterval(150);
    connect(&m_pageLater, &QTimer::timeout, this, &Night::writePage);
    connect(&m_model, &NightModel::changed, this, &Night::fill);
    connect(&m_model, &NightModel::suggestionsChanged, this, &Night::fillTargets);
    connect(&m_model, &NightModel::blocksChanged, this, [this] {
        if (!m_pageLater.isActive()) m_pageLater.start(); // text takes longer to set than the picture to draw
    });
    connect(m_tabs, &QTabWidget::currentChanged, this, &Night::fillCalendars);
    for (CalendarView* view : {m_month, m_year}) connect(view, &CalendarView::dateChosen, &m_model, &NightModel::setDate);
    connect(m_checks, &QListWidget::itemChanged, this, [this](QListWidgetItem* item) {
        if (!m_filling) m_model.tick(item->data(Qt::UserRole).toString().toStdString(), item->checkState() == Qt::Checked);
    });
}

void Night::editPlan(const QString& what, const std::function<void(Plan&)>& change) {
    if (m_filling) return;
    Plan p = m_model.plan();
    change(p);
    m_model.edit(what, p);
}

void Night::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model.setActive(true);
    if (m_stale) fill();
}

void Night::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_model.setActive(false);
}

void Night::fill() {
    m_stale = !isVisible();
    if (m_stale) return;
    m_filling = true;
    const Plan& p = m_model.plan();
    const Site& site = m_model.trial().site;
    if (const QDate d = QDate::fromString(QString::fromStdString(p.date), Qt::ISODate); d.isValid()) m_date->setDate(d);
    QStringList place;
    if (!site.name.empty()) place << QString::fromStdString(site.name);
    if (site.latitude_deg && site.longitude_deg)
        place << QString::fromUtf8("%1\u00B0 %2, %3\u00B0 %4")
                     .arg(localNumber(std::abs(*site.latitude_deg), 'f', 1))
                     .arg(*site.latitude_deg < 0 ? tr("S") : tr("N"))
                     .arg(localNumber(std::abs(*site.longitude_deg), 'f', 1))
                     .arg(*site.longitude_deg < 0 ? tr("W") : tr("E"));
    if (const auto mag = skyBrightness(site)) place << tr("%1 mag/arcsec\u00B2").arg(localNumber(*mag, 'f', 1));
    const PlaceZone clock = placeZone(site);
    if (site.latitude_deg && site.longitude_deg)
        place << (clock.guessed ? tr("clock of %1, the nearest") : tr("clock of %1")).arg(QString::fromUtf8(clock.zone.id()));
    m_place->setToolTip(clock.guessed ? tr("By its coordinates. Another clock is chosen under Plan, Pauses, power and clock.") : QString());
    m_place->setText(place.isEmpty() ? tr("The place is not known.") : place.join(QString::fromUtf8(" \u00B7 ")));
    m_subs->setValue(p.subs);
    m_rounds->setValue(p.rounds);
    m_exposure->setValue(p.exposure_s);
    m_lowest->setValue(p.lowest_deg);
    m_lengths->setCurrentIndex(p.exposures.empty() ? 0 : 1);
    m_order->setCurrentIndex(p.order == BlockOrder::Square ? 1 : 0);
    m_flip->setCurrentIndex(p.flip == FlipSchool::Flipped ? 1 : 0);
    m_dusk->setCurrentIndex(p.twilight_deg > -15 ? 1 : 0);
    m_star->clear();
    m_star->addItem(tr("none"), QString());
    if (m_model.ready()) {
        // What stands high in the middle of the night, brightest first.
        const double latitude = m_model.track().observer().latitude_deg;
        std::vector<const BrightStar*> stars;
        for (const BrightStar& s : brightStars())
            if (std::abs(s.dec_deg - latitude) < 60) stars.push_back(&s);
        std::stable_sort(stars.begin(), stars.end(), [](const BrightStar* a, const BrightStar* b) { return a->magnitude < b->magnitude; });
        const double near = m_model.target().ra_deg;
        std::stable_partition(stars.begin(), stars.end(), [&](const BrightStar* s) { return std::abs(std::remainder(s->ra_deg - near, 360)) < 50; });
        for (const BrightStar* s : stars)
            m_star->addItem(
                tr("%1 (%2 mag, B\u2212V %3)").arg(QString::fromStdString(s->name)).arg(localNumber(s->magnitude, 'f', 1)).arg(localNumber(s->colour, 'f', 1)),
                QString::fromStdString(s->name));
        m_star->setCurrentIndex(std::max(0, m_star->findData(QString::fromStdString(p.brightStar))));
    }
    fillFilters();
    fillChecks();
    m_filling = false;
    fillTargets();
    writePage();
    fillCalendars();
}

void Night::fillFilters() {
    m_filters->clear();
    const auto& chosen = m_model.plan().filters;
    std::vector<std::string> ids = chosen;
    for (const Filter& f : m_model.trial().filters)
        if (std::find(ids.begin(), ids.end(), f.id) == ids.end()) ids.push_back(f.id);
    for (const std::string& id : ids) {
        const Filter* f = m_model.trial().filter(id);
        if (!f) continue;
        auto* item = new QListWidgetItem(QString::fromStdString(f->name.empty() ? id : f->name), m_filters);
        item->setData(Qt::UserRole, QString::fromStdString(id));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable | Qt::ItemIsDragEnabled);
        item->setCheckState(std::find(chosen.begin(), chosen.end(), id) != chosen.end() ? Qt::Checked : Qt::Unchecked);
        if (const CurveSource source = filterCurve(m_session, *f).source; source != CurveSource::Measured)
            item->setToolTip(source == CurveSource::Nothing ? tr("No curve: nothing is foretold of it") : curveSourceText(source));
    }
}

void Night::fillChecks() {
    const int row = m_checks->currentRow();
    m_checks->clear();
    const auto& done = m_model.plan().done;
    for (const auto& [id, words] : checklist(m_model.plan(), m_model.trial(), NightModel::darksAtHand())) {
        auto* item = new QListWidgetItem(QString::fromStdString(words), m_checks);
        item->setData(Qt::UserRole, QString::fromStdString(id));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
        item->setCheckState(std::find(done.begin(), done.end(), id) != done.end() ? Qt::Checked : Qt::Unchecked);
    }
    m_checks->setCurrentRow(row);
}

void Night::fillTargets() {
    if (!isVisible()) return;
    const QSignalBlocker quiet(m_targets);
    m_targets->clear();
    const auto add = [&](const DeepSky& d, const QString& second, const QString& tip) {
        QString first = QString::fromStdString(d.id);
        if (!d.name.empty()) first += "  " + QString::fromStdString(d.name);
        auto* item = new QListWidgetItem(first + (second.isEmpty() ? QString() : "\n" + second), m_targets);
        item->setData(Qt::UserRole, QString::fromStdString(d.id));
        item->setToolTip(tip);
        if (d.id == m_model.target().id) m_targets->setCurrentItem(item);
    };
    const QString words = m_search->text().trimmed();
    if (words.isEmpty()) {
        for (const Suggestion& s : m_model.suggestions()) {
            QStringList reasons;
            for (const std::string& r : s.reasons) reasons << QString::fromStdString(r);
            add(*s.target, s.weakness.empty() ? reasons.value(0) : QString::fromStdString(s.weakness),
                tr("%1, %2\nFor it: %3.%4")
                    .arg(QString::fromStdString(s.target->kind), QString::fromStdString(s.target->constellation), reasons.join("; "),
                         s.weakness.empty() ? QString() : tr("\nAgainst it: %1").arg(QString::fromStdString(s.weakness))));
        }
        if (m_targets->count() == 0) {
            auto* item = new QListWidgetItem(
                m_model.ready() ? tr("None suits these filters in\nthis night; search for one.") : tr("Search for a target above."), m_targets);
            item->setFlags(Qt::NoItemFlags);
            item->setToolTip(item->text());
        }
        return;
    }
    for (const DeepSky* d : findTargets(m_model.targets(), words.toStdString())) {
        if (m_targets->count() >= 60) break;
        add(*d, tr("%1, %2, %3\u2032").arg(QString::fromStdString(d->kind), QString::fromStdString(d->constellation)).arg(d->width_arcmin), {});
    }
    if (m_targets->count() == 0) {
        auto* item = new QListWidgetItem(tr("Nothing is called that. Own targets come from a table: Plan, Import targets."), m_targets);
        item->setFlags(Qt::NoItemFlags);
    }
}

void Night::fillCalendars() {
    if (!isVisible()) return;
    const bool year = m_tabs->currentWidget() == m_year;
    if (!year && m_tabs->currentWidget() != m_month) return;
    CalendarView* view = year ? m_year : m_month;
    if (!m_model.ready()) return view->say(m_model.problem());
    const Plan& p = m_model.plan();
    const QDate date = QDate::fromString(QString::fromStdString(p.date), Qt::ISODate);
    const QDate first = year ? QDate(date.year(), 1, 5) : QDate(date.year(), date.month(), 1);
    const int step = year ? 10 : 1, nights = year ? 36 : date.daysInMonth();
    const bool south = m_model.trial().site.latitude_deg.value_or(0) < 0;
    const Observer here = m_model.track().observer();
    const QString of = QString("%1 %2 %3 %4 %5 %6 %7 %8")
                           .arg(first.toString(Qt::ISODate))
                           .arg(here.latitude_deg)
                           .arg(here.longitude_deg)
                           .arg(p.lowest_deg)
                           .arg(p.twilight_deg)
                           .arg(m_model.target().ra_deg)
                           .arg(m_model.target().dec_deg)
                           .arg(m_model.horizonText());
    QString& known = year ? m_yearOf : m_monthOf;
    const QString chosen = QString::fromStdString(p.date);
    if (!year) tellCells();
    if (of == known) return view->show(view->nights(), chosen, south);
    known = of;
    view->say(tr("Working out the nights \u2026"));
    m_jobs.run(year ? "year" : "month", tr("Working out the nights"),
               [this, view, first, nights, step, p, site = m_model.trial().site, target = m_model.target(), chosen, south](const Job&) -> JobService::Finish {
                   auto found = calendar(first.toString(Qt::ISODate).toStdString(), nights, step, p, site, target.ra_deg, target.dec_deg);
                   return [view, found = std::move(found), chosen, south] {
                       if (found)
                           view->show(*found, chosen, south);
                       else
                           view->say(QString::fromStdString(found.error().message));
                   };
               });
}

void Night::tellCells() {
    std::vector<Trial> trials;
    for (const Campaign::Entry& e : m_session.trials())
        if (const auto t = m_session.campaign()->trial(e.id)) trials.push_back(*t);
    const SkyCells cells = cellsOf(trials);
    const auto here = skyClass(m_model.trial().site);
    std::vector<MoonCell> missing;
    QStringList said;
    for (int bortle = 1; bortle <= 9; ++bortle) {
        QStringList row;
        for (const MoonCell moon : {MoonCell::Dark, MoonCell::Half, MoonCell::Full}) {
            const auto found = cells.find({bortle, moon});
            if (found != cells.end())
                row << tr("%1 (%2)").arg(moonCellName(moon)).arg(found->second);
            else if (here == bortle)
                missing.push_back(moon);
        }
        if (!row.isEmpty()) said << tr("class %1: %2").arg(bortle).arg(row.join(", "));
    }
    QString text = said.isEmpty() ? tr("This campaign has no runs yet whose sky and moon are known.") : tr("Tested so far (runs): %1.").arg(said.join("; "));
    if (!here)
        text += tr(" The sky class of this place is not known.");
    else if (missing.empty())
        text += tr(" Class %1 has all three moons.").arg(*here);
    else {
        QStringList names;
        for (const MoonCell m : missing) names << tr(moonCellName(m));
        text += tr(" Missing for class %1: %2; nights that would fill it are ringed.").arg(*here).arg(names.join(", "));
    }
    m_month->setMissing(missing, text);
}

void Night::writePage() {
    m_pageLater.stop();
    const int at = m_page->verticalScrollBar()->value();
    m_page->setHtml(nightPage(m_model));
    m_page->verticalScrollBar()->setValue(at);
}

void Night::themeChanged() {
    writePage();
    m_chart->update();
    m_month->update();
    m_year->update();
    m_field->update();
}

QByteArray Night::saveLayout() const {
    return m_across->saveState();
}
void Night::restoreLayout(const QByteArray& state) {
    m_across->restoreState(state);
}

} // namespace caelumen
