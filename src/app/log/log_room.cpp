#include "app/log/log_room.h"

#include "app/log/entry_panel.h"
#include "app/log/equipment_page.h"
#include "app/log/hours_page.h"
#include "app/log/merge_page.h"
#include "app/log/practice_page.h"
#include "app/log/timeline_plot.h"
#include "app/session.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/paths.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/compare/same_field.h"
#include "core/log/comparison.h"
#include "report/local_number.h"

#include <QAction>
#include <QClipboard>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTabWidget>
#include <QTableView>
#include <QToolButton>
#include <QVBoxLayout>

namespace caelumen {

LogRoom::LogRoom(Session& session, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_session(session)
    , m_prompts(prompts)
    , m_model(session)
    , m_rows(m_model)
    , m_search(new QLineEdit)
    , m_save(quietButton(tr("Keep this search"), tr("Under a name, in the list on the left")))
    , m_more(new QToolButton)
    , m_count(new QLabel)
    , m_searches(new QListWidget)
    , m_view(new QTableView)
    , m_tabs(new QTabWidget)
    , m_entry(new EntryPanel)
    , m_timeline(new TimelinePlot(m_model, session))
    , m_hours(new HoursPage(m_model))
    , m_equipment(new EquipmentPage(m_model, prompts))
    , m_merge(new MergePage(session, prompts))
    , m_practice(new PracticePage(m_model, session))
    , m_side(new QWidget)
    , m_searchRow(new QWidget)
    , m_across(new QSplitter) {
    m_across->addWidget(buildSide());
    m_across->addWidget(buildRuns());
    m_across->addWidget(m_entry);
    m_across->setStretchFactor(1, 1);
    m_across->setSizes({140, 830, 280});
    m_across->setChildrenCollapsible(false);
    m_entry->setMinimumWidth(230);
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(10, 8, 10, 10);
    buildSearch();
    layout->addWidget(m_searchRow);
    layout->addWidget(m_across, 1);

    connectSearch();
    connectAll();
    m_save->setEnabled(false);
    connect(m_search, &QLineEdit::textChanged, this, [this](const QString& text) { m_save->setEnabled(!text.trimmed().isEmpty()); });
}

void LogRoom::buildSearch() {
    auto* row = new QHBoxLayout(m_searchRow);
    row->setContentsMargins(0, 0, 0, 0);
    m_search->setPlaceholderText(tr("Find runs: duo moon:full from:2025 place:roof -lent"));
    m_search->setClearButtonEnabled(true);
    m_search->setAccessibleName(tr("Find runs"));
    QStringList fields;
    for (const char* f : logFields()) fields << f;
    m_search->setToolTip(tr("Words, of which all must be there; beginnings are enough. %1 with a colon look in one place only (\u201Csky:\"bortle 5\"\u201D), "
                            "from: and to: take dates or years, a minus leaves out.")
                             .arg(fields.join(", ")));
    row->addWidget(m_search, 1);
    row->addWidget(m_save);
    row->addWidget(m_count);
    m_more->setText(tr("More"));
    m_more->setPopupMode(QToolButton::InstantPopup);
    auto* menu = new QMenu(this);
    menu->addAction(tr("Import a folder of old stacks \u2026"), this, &LogRoom::askImport);
    menu->addAction(tr("Take the chosen runs out of the log"), this, [this] {
        std::vector<std::string> uids;
        for (const LogEntry& e : chosen()) uids.push_back(e.uid);
        if (!uids.empty() &&
            m_prompts.confirm(this,
                              tr("Take %n run(s) out of the log? Frames and campaigns stay; a campaign that is opened again brings its runs back.", nullptr,
                                 static_cast<int>(uids.size())),
                              tr("Take them out")))
            m_model.remove(uids);
    });
    m_more->setMenu(menu);
    row->addWidget(m_more);
}

void LogRoom::connectSearch() {
    const auto act = [this](const QString& text, const QKeySequence& key, auto slot) {
        auto* a = new QAction(text, this);
        a->setShortcut(key);
        a->setShortcutContext(Qt::WidgetWithChildrenShortcut);
        connect(a, &QAction::triggered, this, slot);
        addAction(a);
        m_actions << a;
    };
    act(tr("Find runs"), QKeySequence::Find, [this] {
        m_search->setFocus();
        m_search->selectAll();
    });
    m_typed.setSingleShot(true);
    m_typed.setInterval(120);
    connect(m_search, &QLineEdit::textChanged, this, [this] { m_typed.start(); });
    connect(m_search, &QLineEdit::returnPressed, this, [this] { m_view->setFocus(); });
    connect(&m_typed, &QTimer::timeout, this, [this] { m_model.setQuery(m_search->text()); });
    connect(m_save, &QToolButton::clicked, this, [this] {
        if (m_search->text().trimmed().isEmpty()) return;
        m_model.setQuery(m_search->text());
        const QString name = m_prompts.text(this, tr("Keep this search"), tr("Its name"), m_search->text().trimmed());
        if (!name.trimmed().isEmpty()) m_model.saveSearch(name.trimmed());
    });
}

void LogRoom::connectAll() {
    connect(&m_model, &LogModel::changed, this, &LogRoom::fill);
    connect(&m_model, &LogModel::keptChanged, this, &LogRoom::fillKept);
    connect(&m_model, &LogModel::failed, this, &LogRoom::problem);
    connect(&m_model, &LogModel::told, this, &LogRoom::told);
    connect(m_merge, &MergePage::problem, this, &LogRoom::problem);
    connect(m_merge, &MergePage::told, this, &LogRoom::told);
    connect(m_entry, &EntryPanel::remarked, &m_model, &LogModel::remark);
    connect(m_entry, &EntryPanel::openWanted, this, &LogRoom::open);
    connect(m_entry, &EntryPanel::compareWanted, this, &LogRoom::compare);
    connect(m_entry, &EntryPanel::targetWanted, this, [this] {
        const auto entries = chosen();
        if (m_model.sameTargetOnly())
            m_model.showAllTargets();
        else if (!entries.empty())
            m_model.showSameTarget(entries.front());
    });
    connect(m_timeline, &TimelinePlot::chosen, this, &LogRoom::choose);
    connect(m_hours, &HoursPage::wanted, this, [this](const QString& query) {
        m_search->setText(m_search->text().trimmed().isEmpty() ? query : m_search->text().trimmed() + " " + query);
        m_tabs->setCurrentIndex(0);
    });
    connect(&m_session, &Session::trialChanged, this, &LogRoom::fillEntry);
    m_look.setInterval(3000);
    connect(&m_look, &QTimer::timeout, this, [this] {
        if (isVisible()) m_model.look();
    });
    m_look.start();
}

QWidget* LogRoom::buildSide() {
    auto* layout = new QVBoxLayout(m_side);
    layout->setContentsMargins(0, 0, 4, 0);
    layout->addWidget(headingLabel(tr("Kept searches")));
    m_searches->setAccessibleName(tr("Kept searches"));
    m_searches->setContextMenuPolicy(Qt::ActionsContextMenu);
    auto* remove = new QAction(tr("Forget this search"), m_searches);
    remove->setShortcut(QKeySequence::Delete);
    remove->setShortcutContext(Qt::WidgetShortcut);
    connect(remove, &QAction::triggered, this, [this] {
        if (const auto* item = m_searches->currentItem(); item && item->data(Qt::UserRole + 1).toLongLong() != 0)
            m_model.removeSearch(item->data(Qt::UserRole + 1).toLongLong());
    });
    m_searches->addAction(remove);
    layout->addWidget(m_searches, 1);
    connect(m_searches, &QListWidget::itemClicked, this, [this](const QListWidgetItem* item) { m_search->setText(item->data(Qt::UserRole).toString()); });
    connect(m_searches, &QListWidget::itemActivated, this, [this](const QListWidgetItem* item) { m_search->setText(item->data(Qt::UserRole).toString()); });
    return m_side;
}

QWidget* LogRoom::buildRuns() {
    m_view->setModel(&m_rows);
    m_view->setSelectionBehavior(QAbstractItemView::SelectRows);
    m_view->setTabKeyNavigation(false);
    m_view->setSelectionMode(QAbstractItemView::ExtendedSelection);
    m_view->setShowGrid(false);
    m_view->setFrameShape(QFrame::NoFrame);
    m_view->setWordWrap(false);
    m_view->setSortingEnabled(true);
    m_view->horizontalHeader()->setSortIndicator(LogTable::Night, Qt::DescendingOrder);
    m_view->horizontalHeader()->setResizeContentsPrecision(60);
    m_view->horizontalHeader()->setStretchLastSection(true);
    m_view->horizontalHeader()->setSectionsMovable(true);
    m_view->verticalHeader()->hide();
    m_view->verticalHeader()->setSectionResizeMode(QHeaderView::Fixed);
    m_view->verticalHeader()->setDefaultSectionSize(letters(22));
    m_view->setHorizontalScrollMode(QAbstractItemView::ScrollPerPixel);
    m_view->setAccessibleName(tr("Runs of all years"));
    auto* copy = new QAction(tr("Copy the runs as a table"), m_view);
    copy->setShortcut(QKeySequence::Copy);
    copy->setShortcutContext(Qt::WidgetShortcut);
    connect(copy, &QAction::triggered, this, [this] { QGuiApplication::clipboard()->setText(tableText()); });
    m_view->addAction(copy);
    connect(m_view->selectionModel(), &QItemSelectionModel::selectionChanged, this, [this] {
        if (!m_filling) fillEntry();
    });
    connect(m_view, &QTableView::activated, this, &LogRoom::open);
    m_tabs->setDocumentMode(true);
    m_tabs->addTab(m_view, tr("Runs"));
    m_tabs->addTab(m_timeline, tr("Timeline"));
    m_tabs->addTab(m_hours, tr("Hours"));
    m_tabs->addTab(m_equipment, tr("Equipment"));
    m_tabs->addTab(m_merge, tr("Merge"));
    m_tabs->addTab(m_practice, tr("Practice"));
    connect(m_tabs, &QTabWidget::currentChanged, this, [this](int tab) {
        m_entry->setVisible(tab < 2); // the others are not about one run
        m_side->setVisible(tab < 3), m_searchRow->setVisible(tab < 3);
        if (tab == 1) m_timeline->fill();
        if (tab == 2) m_hours->fill();
        if (tab == 3) m_equipment->fill();
        if (tab == 5) m_practice->fill();
    });
    return m_tabs;
}

void LogRoom::fill() {
    const std::vector<std::string> uids = m_chosen; // rows and places change
    m_filling = true;
    const bool first = m_rows.rowCount() == 0;
    m_rows.refresh();
    if (first && m_rows.rowCount() > 0) {
        m_view->resizeColumnsToContents();
        for (int c = 0; c < LogTable::Columns; ++c) m_view->setColumnWidth(c, std::min(c == LogTable::Rig ? 120 : 150, m_view->columnWidth(c)));
    }
    QItemSelection selection;
    for (const std::string& uid : uids)
        if (const int row = uid.empty() ? -1 : m_rows.rowOf(uid); row >= 0) selection.select(m_rows.index(row, 0), m_rows.index(row, LogTable::Columns - 1));
    m_view->selectionModel()->select(selection, QItemSelectionModel::ClearAndSelect);
    if (selection.isEmpty() && m_rows.rowCount() > 0) m_view->selectRow(0);
    m_filling = false;
    double hours = 0;
    for (const LogEntry* e : m_model.foundEntries()) hours += e->total_s.value_or(0) / 3600;
    m_count->setText(m_model.all().size() == m_model.found().size()
                         ? tr("%1 runs, %2 h").arg(m_model.found().size()).arg(localNumber(hours, 'f', 1))
                         : tr("%1 of %2 runs, %3 h").arg(m_model.found().size()).arg(m_model.all().size()).arg(localNumber(hours, 'f', 1)));
    fillEntry();
    if (m_tabs->currentIndex() == 1) m_timeline->fill();
    if (m_tabs->currentIndex() == 2) m_hours->fill();
    if (m_tabs->currentIndex() == 3) m_equipment->fill();
}

void LogRoom::fillKept() {
    m_searches->clear();
    const auto add = [this](const QString& name, const QString& query, qint64 id) {
        auto* item = new QListWidgetItem(name, m_searches);
        item->setData(Qt::UserRole, query);
        item->setData(Qt::UserRole + 1, id);
        item->setToolTip(query.isEmpty() ? tr("Everything") : query);
    };
    add(tr("All runs"), {}, 0);
    for (const SavedSearch& s : m_model.searches()) add(QString::fromStdString(s.name), QString::fromStdString(s.query), s.id);
    if (m_tabs->currentIndex() == 3) m_equipment->fill();
    m_practice->fill();
}

std::vector<LogEntry> LogRoom::chosen() const {
    std::vector<LogEntry> out;
    QModelIndexList rows = m_view->selectionModel()->selectedRows();
    std::sort(rows.begin(), rows.end());
    for (const QModelIndex& i : rows) out.push_back(m_model.all()[m_rows.entryAt(i.row())]);
    return out;
}

void LogRoom::fillEntry() {
    const auto entries = chosen();
    m_chosen.clear();
    for (const LogEntry& e : entries) m_chosen.push_back(e.uid);
    const LogEntry* one = entries.empty() ? nullptr : &entries.front();
    const bool here = one && m_session.campaign() && one->campaign == m_session.campaign()->path().toStdString() && one->trialId == m_session.trialId();
    LogEntry shown;
    if (one) shown = *one, shown.photos = m_model.photosOf(*one);
    m_entry->show(one ? &shown : nullptr, static_cast<int>(entries.size()),
                  one && !here && m_session.hasTrial() && m_session.canEdit() && !m_session.trial().runs.empty(), m_model.sameTargetOnly());
    m_timeline->choose(one ? one->uid : std::string());
}

void LogRoom::choose(const std::string& uid) {
    const int row = m_rows.rowOf(uid);
    if (row < 0) return;
    m_view->selectRow(row);
    m_view->scrollTo(m_rows.index(row, 0));
}

void LogRoom::open() {
    const auto entries = chosen();
    if (entries.empty()) return;
    const LogEntry& e = entries.front();
    const QString stack = QString::fromStdString(e.stack), campaign = QString::fromStdString(e.campaign);
    if (campaign.isEmpty()) {
        if (!QFileInfo::exists(fromPath(pathOf(e.stack)))) return emit problem(tr("%1 is not there any more.").arg(stack));
        emit framesWanted({stack});
        return;
    }
    if (!QFileInfo::exists(campaign)) return emit problem(tr("%1 is not there any more; its runs stay in the log, but cannot be opened.").arg(campaign));
    emit benchWanted(campaign, e.trialId, QString::fromStdString(e.run));
}

void LogRoom::compare() {
    const auto entries = chosen();
    if (entries.size() == 2) {
        m_model.trialsOf(entries, [this, entries](const std::vector<Trial>& trials) {
            std::vector<std::string> cautions;
            const auto run = [&](std::size_t i) { return entries[i].campaign.empty() ? trials[i].runs.front().id : entries[i].run; };
            emit trialWanted(comparisonOf(trials[0], run(0), trials[1], run(1), cautions));
            for (const std::string& c : cautions) emit problem(QString::fromStdString(c));
        });
    } else if (entries.size() == 1) {
        m_model.trialsOf(entries, [this, e = entries.front()](const std::vector<Trial>& trials) {
            Trial changed = m_session.trial();
            std::vector<std::string> cautions;
            const std::string id = addRunOf(changed, trials[0], e.campaign.empty() ? trials[0].runs.front().id : e.run, cautions);
            if (id.empty()) return;
            m_session.edit(tr("Add a run from the log"), changed);
            emit told(tr("It is run %1 of \u201C%2\u201D.").arg(QString::fromStdString(id), QString::fromStdString(changed.title)));
            for (const std::string& c : cautions) emit problem(QString::fromStdString(c));
        });
    }
}

void LogRoom::askImport() {
    if (const QString folder = m_prompts.folder(this, tr("A folder of old stacks")); !folder.isEmpty()) m_model.import({folder});
}

bool LogRoom::takeFiles(const QStringList& files) {
    QStringList results, places;
    for (const QString& f : files) (f.endsWith(".json", Qt::CaseInsensitive) ? results : places) << f;
    if (!results.isEmpty()) {
        m_tabs->setCurrentWidget(m_merge);
        m_merge->add(results);
    }
    if (!places.isEmpty()) m_model.import(places);
    return true;
}

QString LogRoom::tableText() const {
    QList<int> rows;
    for (const QModelIndex& i : m_view->selectionModel()->selectedRows()) rows << i.row();
    std::sort(rows.begin(), rows.end());
    return m_rows.text(rows.size() > 1 ? rows : QList<int>());
}

void LogRoom::showEvent(QShowEvent* event) {
    QWidget::showEvent(event);
    m_model.look();
    if (m_model.all().empty()) m_model.reload();
    m_view->setFocus();
}

void LogRoom::themeChanged() {
    m_entry->themeChanged();
    m_rows.refresh();
    m_timeline->fill();
    m_hours->fill();
    m_equipment->fill();
    m_merge->themeChanged();
    m_practice->themeChanged();
}

QByteArray LogRoom::saveLayout() const {
    QByteArray out;
    QDataStream to(&out, QIODevice::WriteOnly);
    to << m_across->saveState() << m_view->horizontalHeader()->saveState() << m_tabs->currentIndex();
    return out;
}

void LogRoom::restoreLayout(const QByteArray& state) {
    QByteArray across, header;
    int tab = 0;
    QDataStream in(state);
    in >> across >> header >> tab;
    m_across->restoreState(across);
    if (!header.isEmpty()) m_view->horizontalHeader()->restoreState(header);
    m_tabs->setCurrentIndex(tab);
}

} // namespace caelumen
