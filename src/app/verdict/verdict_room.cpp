#include "app/verdict/verdict_room.h"

#include "app/grid/sky_grid_model.h"
#include "app/verdict/payoff_plot.h"
#include "app/verdict/profile_panel.h"
#include "app/verdict/ranking_view.h"
#include "app/verdict/report_panel.h"
#include "app/verdict/verdict_text.h"
#include "app/widgets/core_words.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/base/file.h"
#include "core/base/json.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QComboBox>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHeaderView>
#include <QLabel>
#include <QScrollArea>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTabWidget>
#include <QTableWidget>
#include <QTextBrowser>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

QTextBrowser* pageOf(const QString& name) {
    auto* page = new QTextBrowser;
    page->setFrameShape(QFrame::NoFrame);
    page->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    page->document()->setDocumentMargin(10);
    page->setAccessibleName(name);
    return page;
}

} // namespace

VerdictRoom::VerdictRoom(Session& session, Prompts& prompts, SkyGridModel& trials, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session, trials)
    , m_panel(new ProfilePanel)
    , m_ranking(new RankingView)
    , m_payoff(new PayoffPlot)
    , m_report(new ReportPanel(session, prompts, m_model))
    , m_value(new QTableWidget)
    , m_before(new QComboBox)
    , m_now(new QComboBox)
    , m_oldNewPage(pageOf(tr("Old against new")))
    , m_page(pageOf(tr("The verdict in words")))
    , m_tabs(new QTabWidget)
    , m_across(new QSplitter) {
    m_page->setMinimumWidth(220);
    auto* scroll = new QScrollArea;
    scroll->setWidget(m_ranking);
    scroll->setFocusPolicy(Qt::NoFocus); // the ranking has it
    scroll->setWidgetResizable(true);
    scroll->setFrameShape(QFrame::NoFrame);
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(scroll, tr("Ranking"));
    m_tabs->addTab(buildValue(), tr("Value"));
    m_tabs->addTab(buildOldNew(), tr("Old and new"));
    m_tabs->addTab(m_report, tr("Report"));
    auto* middle = new QWidget;
    auto* column = new QVBoxLayout(middle);
    column->setContentsMargins(4, 6, 4, 8);
    column->addWidget(m_tabs);
    m_across->addWidget(m_panel);
    m_across->addWidget(middle);
    m_across->addWidget(m_page);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({300, 690, 290});
    m_across->setChildrenCollapsible(false);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->addWidget(m_across);
    connect(&m_model, &VerdictModel::changed, this, &VerdictRoom::fill);
    connect(&m_model, &VerdictModel::profileChanged, this, &VerdictRoom::fillProfile);
    connect(&m_model, &VerdictModel::oldNewChanged, this, &VerdictRoom::fillOldNew);
    connect(&m_model, &VerdictModel::failed, this, &VerdictRoom::problem);
    connect(m_panel, &ProfilePanel::edited, this, [this](const QString& what) { m_model.setProfile(m_panel->profile(), tr("Profile: %1").arg(what)); });
    connect(m_panel, &ProfilePanel::started, this, &VerdictRoom::startFrom);
    connect(m_panel, &ProfilePanel::scopeChosen, this, [this] { m_model.setOnlyThisTrial(m_panel->scopeBox().currentIndex() == 1); });
    connect(m_panel, &ProfilePanel::openAsked, this, &VerdictRoom::openProfile);
    connect(m_panel, &ProfilePanel::saveAsked, this, &VerdictRoom::saveProfile);
    connect(m_ranking, &RankingView::rowChosen, this, &VerdictRoom::writePage);
    connect(m_ranking, &RankingView::rowOpened, this,
            [this](int row) { openOnBench(m_model.runOf(m_ranking->rows()[static_cast<std::size_t>(row)].id.toStdString())); });
    m_oldNewPage->setOpenLinks(false);
    connect(m_oldNewPage, &QTextBrowser::anchorClicked, this,
            [this](const QUrl& link) { openOnBench(m_model.runOf(link.path() == "old" ? m_model.before() : m_model.now())); });
    connect(m_report, &ReportPanel::problem, this, &VerdictRoom::problem);
    connect(m_report, &ReportPanel::told, this, &VerdictRoom::told);
    connect(m_tabs, &QTabWidget::currentChanged, this, [this] { m_report->setSeen(isVisible() && m_tabs->currentWidget() == m_report); });
    fillProfile();
}

QWidget* VerdictRoom::buildValue() {
    m_value->setColumnCount(6);
    m_value->setHorizontalHeaderLabels({tr("Filter"), tr("Price"), tr("Hours saved a year"), tr("For an hour, first year"), tr("After 5 years"), tr("Budget")});
    m_value->horizontalHeader()->setSectionResizeMode(QHeaderView::ResizeToContents);
    m_value->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
    m_value->verticalHeader()->hide();
    m_value->setEditTriggers(QAbstractItemView::NoEditTriggers);
    m_value->setTabKeyNavigation(false);
    m_value->setSelectionMode(QAbstractItemView::NoSelection);
    m_value->setAccessibleName(tr("Value of filters"));
    auto* down = new QSplitter(Qt::Vertical);
    down->addWidget(m_value);
    down->addWidget(m_payoff);
    down->setSizes({260, 360});
    down->setChildrenCollapsible(false);
    return down;
}

QWidget* VerdictRoom::buildOldNew() {
    auto* page = new QWidget;
    auto* column = new QVBoxLayout(page);
    column->setContentsMargins(6, 8, 6, 0);
    auto* row = new QHBoxLayout;
    for (const auto& [box, label] : {std::pair{m_before, tr("Old")}, {m_now, tr("New")}}) {
        box->setAccessibleName(label);
        box->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
        box->setMinimumContentsLength(16);
        row->addWidget(new QLabel(label));
        row->addWidget(box, 1);
        connect(box, &QComboBox::activated, this, [this] {
            const auto of = [](const QComboBox* b) {
                const QStringList parts = b->currentData().toStringList();
                return parts.size() == 2 ? TrialRun{parts[0], parts[1]} : TrialRun{};
            };
            m_model.setOldNew(of(m_before), of(m_now));
        });
    }
    column->addLayout(row);
    column->addWidget(m_oldNewPage, 1);
    return page;
}

FilterStyle VerdictRoom::styleOf(const std::string& filter) const {
    std::vector<std::string> all;
    if (m_model.verdict())
        for (const RankedFilter& f : m_model.verdict()->ranking) all.push_back(f.id);
    const auto styles = filterStyles(m_session.trial(), all, theme().isRed());
    const auto found = styles.find(filter);
    return found == styles.end() ? filterStyle(0, false, theme().isRed()) : found->second;
}

void VerdictRoom::openOnBench(const std::optional<std::pair<qint64, QString>>& where) {
    if (!where) return emit problem(tr("That was measured in another campaign; open it to see its pixels."));
    emit benchWanted(where->first, where->second);
}

void VerdictRoom::fillProfile() {
    m_panel->show(m_model.profile());
}

void VerdictRoom::fill() {
    std::vector<RankingRow> rows;
    if (const Verdict* v = m_model.verdict()) {
        rows = rankingRows(m_session.trial(), *v, m_model.profile(), theme().isRed());
        std::vector<std::pair<QString, QString>> filters;
        for (const RankingRow& r : rows) filters.emplace_back(r.id, r.name);
        m_panel->setFilters(filters);
    }
    const QString why = m_model.problem().isEmpty() ? tr("The trials are on their way \u2026") : m_model.problem();
    m_ranking->show(std::move(rows), why);
    fillValue();
    fillRuns();
    writePage();
    m_report->refresh();
}

void VerdictRoom::fillValue() {
    std::vector<PayoffLine> lines;
    const Verdict* v = m_model.verdict();
    m_value->setRowCount(0);
    if (v) {
        const auto cell = [&](int row, int column, const QString& text, bool right = true) {
            auto* item = new QTableWidgetItem(text);
            item->setTextAlignment(right ? Qt::AlignRight | Qt::AlignVCenter : Qt::AlignLeft | Qt::AlignVCenter);
            m_value->setItem(row, column, item);
        };
        const auto add = [&](const QString& name, const FilterValue& x) {
            const int row = m_value->rowCount();
            m_value->insertRow(row);
            const QString currency = QString::fromStdString(x.currency), dash = QString::fromUtf8("\u2013");
            cell(row, 0, name, false);
            cell(row, 1, x.price ? QString("%1 %2").arg(localNumber(*x.price, 'f', 2)).arg(currency) : QString::fromStdString(x.whyNoPrice));
            const bool owned = x.hoursSaved == 0 && x.sigma == 0;
            cell(row, 2, owned ? tr("owned") : QString::fromUtf8("%1 \u00B1 %2").arg(localNumber(x.hoursSaved, 'f', 0)).arg(localNumber(x.sigma, 'f', 0)));
            const bool pays = x.pricePerHour && x.saves();
            cell(row, 3, pays ? QString("%1 %2").arg(localNumber(*x.pricePerHour, 'f', 2)).arg(currency) : owned ? dash : tr("not worth it"));
            cell(row, 4, pays ? QString("%1 %2").arg(localNumber(*x.pricePerHour / 5, 'f', 2)).arg(currency) : dash);
            cell(row, 5, !x.price || !m_model.profile().budget ? dash : x.beyondBudget ? tr("beyond") : tr("within"));
        };
        for (const RankedFilter& f : v->ranking)
            for (const FilterValue& x : v->value)
                if (x.id == f.id) {
                    add(QString::fromStdString(f.name), x);
                    lines.push_back({QString::fromStdString(f.name), styleOf(f.id), x});
                }
        for (const SetValue& s : v->sets) add(tr("Set: %1").arg(QString::fromStdString(s.name)), s.value);
    }
    const std::string owned = m_model.profile().owned;
    m_payoff->show(lines, owned.empty() ? tr("the baseline") : m_model.nameOf(owned));
}

void VerdictRoom::fillRuns() {
    for (QComboBox* box : {m_before, m_now}) {
        const QSignalBlocker quiet(box);
        const TrialRun& wanted = box == m_before ? m_model.before() : m_model.now();
        box->clear();
        box->addItem(tr("choose a run"));
        for (const GridTrial& t : m_model.trials())
            for (const Run& r : t.trial.runs) {
                if (r.id == t.results->baseline) continue;
                const Filter* f = t.trial.filter(r.filter);
                const QString trial = QString::fromStdString(t.name), run = QString::fromStdString(r.id);
                box->addItem(QString("%1: %2  %3").arg(trial, run, QString::fromStdString(f ? f->name : r.filter)), QStringList{trial, run});
            }
        box->setCurrentIndex(std::max(0, box->findData(QStringList{wanted.trial, wanted.run})));
    }
    fillOldNew();
}

void VerdictRoom::fillOldNew() {
    m_oldNewPage->setHtml(oldNewPage(m_model));
}

void VerdictRoom::writePage() {
    m_page->setHtml(verdictPage(m_model, m_ranking->rows().empty() ? -1 : m_ranking->chosen()));
}

void VerdictRoom::startFrom(int ready) {
    Profile p = startProfiles().at(static_cast<std::size_t>(ready));
    const Profile& now = m_model.profile();
    p.owned = now.owned, p.budget = now.budget, p.currency = now.currency, p.rates = now.rates, p.fRatio = now.fRatio, p.camera = now.camera;
    m_model.setProfile(p, tr("Profile: %1").arg(coreWord(p.name)));
}

void VerdictRoom::openProfile() {
    const QString path = m_prompts.openFile(this, tr("Open a profile"), tr("Profile (*.json)"));
    if (path.isEmpty()) return;
    const auto profile = readProfile(toPath(path));
    if (!profile) return emit problem(QString::fromStdString(profile.error().message));
    m_model.setProfile(*profile, tr("Profile: %1").arg(QFileInfo(path).completeBaseName()));
}

void VerdictRoom::saveProfile() {
    QString name = QString::fromStdString(m_model.profile().name).replace('/', '-');
    if (name.isEmpty()) name = tr("profile");
    QString path = m_prompts.saveFile(this, tr("Save the profile"), name + ".json", tr("Profile (*.json)"));
    if (path.isEmpty()) return;
    if (QFileInfo(path).suffix().isEmpty()) path += ".json";
    if (const Status safe = m_session.mayWrite(path); !safe) return emit problem(QString::fromStdString(safe.error().message));
    if (const Status written = m_session.write(path, jsonText(profileToJson(m_model.profile()), 1) + "\n"); !written)
        return emit problem(QString::fromStdString(written.error().message));
    emit told(tr("Exported to %1").arg(path));
}

void VerdictRoom::askExport(const QString& what) {
    m_report->askExport(what);
}

void VerdictRoom::copyText() {
    if (!m_model.verdict()) return emit problem(tr("There is no verdict yet."));
    QGuiApplication::clipboard()->setText(verdictText(*m_model.verdict()));
    emit told(tr("The sentences are copied"));
}

void VerdictRoom::copyTable() {
    if (!m_model.verdict()) return emit problem(tr("There is no verdict yet."));
    QGuiApplication::clipboard()->setText(verdictTable(*m_model.verdict()));
    emit told(tr("The table is copied"));
}

void VerdictRoom::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model.setActive(true);
    m_report->setSeen(m_tabs->currentWidget() == m_report);
    fill();
}

void VerdictRoom::hideEvent(QHideEvent* event) {
    QWidget::hideEvent(event);
    m_model.setActive(false);
    m_report->setSeen(false);
}

void VerdictRoom::themeChanged() {
    m_report->themeChanged();
    if (isVisible()) fill();
}

QByteArray VerdictRoom::saveLayout() const {
    return m_across->saveState();
}

void VerdictRoom::restoreLayout(const QByteArray& state) {
    m_across->restoreState(state);
}

} // namespace caelumen
