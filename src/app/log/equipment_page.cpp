#include "app/log/equipment_page.h"

#include "app/log/log_model.h"
#include "app/widgets/file_field.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/prompts.h"
#include "app/widgets/theme.h"
#include "core/model/quantity.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QComboBox>
#include <QDate>
#include <QDateEdit>
#include <QFormLayout>
#include <QGuiApplication>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSignalBlocker>
#include <QSplitter>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>
#include <set>

namespace caelumen {
namespace {

/// Mean of a figure over runs, by its errors.
struct Mean {
    double weights = 0, sum = 0;
    void add(const LogFigure& f) {
        if (f.limit || f.voided || !(f.sigma > 0)) return;
        weights += 1 / (f.sigma * f.sigma), sum += f.value / (f.sigma * f.sigma);
    }
    bool any() const { return weights > 0; }
    double value() const { return sum / weights; }
};

bool uses(const LogEntry& e, bool rig, const std::string& name) {
    return rig ? e.rig == name : e.filter == name;
}

} // namespace

EventDialog::EventDialog(const EquipmentEvent& event, Prompts& prompts, QWidget* parent)
    : QDialog(parent)
    , m_event(event)
    , m_date(new QDateEdit)
    , m_what(new QComboBox)
    , m_note(new QLineEdit(QString::fromStdString(event.note)))
    , m_photo(new FileField(event.photo, tr("A photograph"), tr("Pictures (*.png *.jpg *.jpeg)"), prompts)) {
    setWindowTitle(QString::fromStdString(event.name));
    m_date->setCalendarPopup(true);
    m_date->setDisplayFormat("yyyy-MM-dd");
    const QDate date = QDate::fromString(QString::fromStdString(event.date), Qt::ISODate);
    m_date->setDate(date.isValid() ? date : QDate::currentDate());
    m_what->setEditable(true);
    m_what->addItems({tr("bought"), tr("given"), tr("lent"), tr("returned"), tr("cleaned"), tr("scratched"), tr("repaired"), tr("changed"), tr("sold")});
    m_what->setCurrentText(event.what.empty() ? tr("cleaned") : QString::fromStdString(event.what));
    m_what->setAccessibleName(tr("What happened"));
    auto* form = new QFormLayout;
    form->addRow(tr("Date"), m_date);
    form->addRow(tr("What happened"), m_what);
    form->addRow(tr("Note"), m_note);
    form->addRow(tr("Photograph"), m_photo);
    auto* problem = problemLabel();
    finish(this, form, problem);
}

EquipmentEvent EventDialog::event() const {
    EquipmentEvent out = m_event;
    out.date = m_date->date().toString(Qt::ISODate).toStdString();
    out.what = m_what->currentText().trimmed().toStdString();
    out.note = m_note->text().toStdString();
    out.photo = m_photo->path();
    return out;
}

EquipmentPage::EquipmentPage(LogModel& log, Prompts& prompts, QWidget* parent)
    : QWidget(parent)
    , m_log(log)
    , m_prompts(prompts)
    , m_things(new QListWidget)
    , m_table(new QTableWidget)
    , m_words(new QLabel)
    , m_photo(new QLabel)
    , m_buttons(new QWidget) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    auto* across = new QSplitter;
    m_things->setAccessibleName(tr("Filters and rigs"));
    m_things->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff); // long names are elided
    across->addWidget(m_things);
    auto* right = new QWidget;
    auto* column = new QVBoxLayout(right);
    column->setContentsMargins(8, 0, 0, 0);
    m_words->setWordWrap(true);
    m_words->setTextFormat(Qt::RichText);
    m_words->setTextInteractionFlags(Qt::TextSelectableByMouse);
    column->addWidget(m_words);
    plainTable(*m_table, tr("What happened to it"));
    m_table->installEventFilter(this);
    column->addWidget(m_table, 1);
    m_photo->setAlignment(Qt::AlignCenter);
    column->addWidget(m_photo);
    auto* row = new QHBoxLayout(m_buttons);
    row->setContentsMargins(0, 0, 0, 0);
    auto* add = new QPushButton(tr("Add an event \u2026"));
    auto* edit = new QPushButton(tr("Edit \u2026"));
    auto* remove = new QPushButton(tr("Remove"));
    for (QPushButton* b : {add, edit, remove}) row->addWidget(b);
    row->addStretch(1);
    column->addWidget(m_buttons);
    across->addWidget(right);
    across->setStretchFactor(1, 1);
    across->setSizes({240, 700});
    across->setChildrenCollapsible(false);
    layout->addWidget(across);
    connect(m_things, &QListWidget::currentRowChanged, this, &EquipmentPage::fillEvents);
    connect(add, &QPushButton::clicked, this, [this] {
        EquipmentEvent e = chosen();
        ask({0, e.isRig, e.name, "", "", "", ""});
    });
    const auto editNow = [this] {
        if (const EquipmentEvent e = chosen(); e.id != 0) ask(e);
    };
    connect(edit, &QPushButton::clicked, this, editNow);
    connect(m_table, &QTableWidget::cellActivated, this, editNow);
    connect(remove, &QPushButton::clicked, this, [this] {
        const EquipmentEvent e = chosen();
        if (e.id != 0 &&
            m_prompts.confirm(this, tr("Remove \u201C%1\u201D of %2 from the log?").arg(QString::fromStdString(e.what), QString::fromStdString(e.date)),
                              tr("Remove")))
            m_log.removeEvent(e.id);
    });
    connect(m_table, &QTableWidget::itemSelectionChanged, this, [this, edit, remove] {
        const EquipmentEvent e = chosen();
        edit->setEnabled(e.id != 0), remove->setEnabled(e.id != 0);
        const QPixmap photo = e.photo.empty() ? QPixmap() : QPixmap(QString::fromStdString(e.photo));
        m_photo->setVisible(!photo.isNull());
        if (!photo.isNull())
            m_photo->setPixmap(QPixmap::fromImage(inThemeLight(photo.scaled(320, 200, Qt::KeepAspectRatio, Qt::SmoothTransformation).toImage())));
    });
    m_photo->hide();
    edit->setEnabled(false), remove->setEnabled(false);
}

void EquipmentPage::fill() {
    const EquipmentEvent before = chosen();
    std::set<std::pair<bool, std::string>> things;
    for (const LogEntry& e : m_log.all()) {
        if (!e.filter.empty()) things.emplace(false, e.filter);
        if (!e.rig.empty()) things.emplace(true, e.rig);
    }
    for (const EquipmentEvent& e : m_log.events()) things.emplace(e.isRig, e.name);
    {
        const QSignalBlocker quiet(m_things);
        m_things->clear();
        bool rigs = false;
        for (const bool isRig : {false, true}) {
            for (const auto& [rig, name] : things) {
                if (rig != isRig) continue;
                if (m_things->count() == 0 || (isRig && !rigs)) {
                    auto* head = new QListWidgetItem(isRig ? tr("Rigs") : tr("Filters"), m_things);
                    head->setFlags(Qt::NoItemFlags);
                    head->setForeground(theme().dim);
                    rigs = isRig;
                }
                auto* item = new QListWidgetItem(QString::fromStdString(name), m_things);
                item->setData(Qt::UserRole, isRig);
                item->setToolTip(item->text());
                if (isRig == before.isRig && name == before.name) m_things->setCurrentItem(item);
            }
        }
        if (m_things->currentRow() < 0 && m_things->count() > 1) m_things->setCurrentRow(1);
    }
    fillEvents();
}

EquipmentEvent EquipmentPage::chosen() const {
    const QListWidgetItem* thing = m_things->currentItem();
    if (!thing || !(thing->flags() & Qt::ItemIsEnabled)) return {};
    const QTableWidgetItem* cell = m_table->currentRow() >= 0 && m_table->selectionModel()->hasSelection() ? m_table->item(m_table->currentRow(), 0) : nullptr;
    const qint64 id = cell ? cell->data(Qt::UserRole).toLongLong() : 0;
    for (const EquipmentEvent& e : m_log.events())
        if (e.id == id) return e;
    return {0, thing->data(Qt::UserRole).toBool(), thing->text().toStdString(), "", "", "", ""};
}

void EquipmentPage::fillEvents() {
    m_table->clearSelection();
    const EquipmentEvent of = chosen();
    m_buttons->setVisible(!of.name.empty());
    m_table->setRowCount(0);
    m_photo->hide();
    if (of.name.empty()) {
        m_words->setText(tr("Filters and rigs appear here with the runs of the log."));
        return;
    }
    std::vector<EquipmentEvent> events;
    for (const EquipmentEvent& e : m_log.events())
        if (e.isRig == of.isRig && e.name == of.name) events.push_back(e);
    double hours = 0;
    int runs = 0;
    std::set<std::string> nights;
    for (const LogEntry& e : m_log.all())
        if (uses(e, of.isRig, of.name)) hours += e.total_s.value_or(0) / 3600, ++runs, nights.insert(e.night);
    nights.erase("");
    m_words->setText(
        tr("<b>%1</b>: %2 runs, %3 h%4.")
            .arg(QString::fromStdString(of.name).toHtmlEscaped())
            .arg(runs)
            .arg(localNumber(hours, 'f', 1))
            .arg(nights.empty() ? QString() : tr(", %1 to %2").arg(QString::fromStdString(*nights.begin()), QString::fromStdString(*nights.rbegin()))));
    if (events.empty()) m_words->setText(m_words->text() + " " + tr("Nothing is noted of it yet: when it was bought, cleaned, scratched or sold."));
    m_table->setColumnCount(6);
    m_table->setHorizontalHeaderLabels({tr("date"), tr("what happened"), tr("note"), tr("hours until the next"), tr("clean to, mag"), tr("starlight kept")});
    m_table->horizontalHeaderItem(4)->setToolTip(tr("Mean of the runs until the next event: stars fainter than that show no halo"));
    m_table->horizontalHeaderItem(5)->setToolTip(tr("Mean star throughput of the runs until the next event: dust and dew take from it"));
    for (std::size_t i = 0; i < events.size(); ++i) {
        const std::string from = events[i].date, to = i + 1 < events.size() ? events[i + 1].date : "9999";
        double since = 0;
        Mean clean, stars;
        for (const LogEntry& e : m_log.all())
            if (uses(e, of.isRig, of.name) && !e.night.empty() && e.night >= from && e.night < to) {
                since += e.total_s.value_or(0) / 3600;
                if (const LogFigure* f = e.figure(q::haloCleanMag)) clean.add(*f);
                if (const LogFigure* f = e.figure(q::starThroughput)) stars.add(*f);
            }
        const int row = m_table->rowCount();
        m_table->insertRow(row);
        const QStringList cells{QString::fromStdString(events[i].date),
                                QString::fromStdString(events[i].what),
                                QString::fromStdString(events[i].note),
                                localNumber(since, 'f', 1),
                                clean.any() ? localNumber(clean.value(), 'f', 1) : QString::fromUtf8("\u2013"),
                                stars.any() ? localNumber(stars.value(), 'f', 3) : QString::fromUtf8("\u2013")};
        for (int c = 0; c < cells.size(); ++c) {
            auto* cell = new QTableWidgetItem(cells[c]);
            cell->setData(Qt::UserRole, events[i].id);
            cell->setToolTip(cells[c]);
            if (c > 2) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            m_table->setItem(row, c, cell);
        }
    }
    m_table->resizeColumnsToContents();
    m_table->setColumnWidth(2, std::clamp(m_table->columnWidth(2), 120, 320));
}

void EquipmentPage::ask(const EquipmentEvent& event) {
    if (event.name.empty()) return;
    EventDialog dialog(event, m_prompts, this);
    if (dialog.exec() == QDialog::Accepted) m_log.saveEvent(dialog.event());
}

QString EquipmentPage::text() const {
    return tableText(*m_table);
}

bool EquipmentPage::eventFilter(QObject* of, QEvent* event) {
    if (event->type() == QEvent::KeyPress) {
        const auto* key = static_cast<QKeyEvent*>(event);
        if (key->matches(QKeySequence::Copy)) {
            QGuiApplication::clipboard()->setText(text());
            return true;
        }
        if (key->key() == Qt::Key_Delete) {
            m_buttons->findChildren<QPushButton*>().last()->click();
            return true;
        }
    }
    return QWidget::eventFilter(of, event);
}

} // namespace caelumen
