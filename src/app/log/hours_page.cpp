#include "app/log/hours_page.h"

#include "app/log/log_model.h"
#include "app/widgets/core_words.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/theme.h"

#include <QClipboard>
#include <QComboBox>
#include <QGuiApplication>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QKeyEvent>
#include <QLabel>
#include <QPainter>
#include <QStyledItemDelegate>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

constexpr int kPart = Qt::UserRole + 1;

/// A bar behind the number.
class BarDelegate : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;
    void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        if (const double part = index.data(kPart).toDouble(); part > 0) {
            QColor colour = theme().accent;
            colour.setAlpha(70);
            QRectF bar = QRectF(option.rect).adjusted(2, 3, -2, -3);
            bar.setWidth(bar.width() * part);
            painter->fillRect(bar, colour);
        }
        QStyledItemDelegate::paint(painter, option, index);
    }
};

} // namespace

HoursPage::HoursPage(LogModel& log, QWidget* parent)
    : QWidget(parent)
    , m_log(log)
    , m_rows(new QComboBox)
    , m_columns(new QComboBox)
    , m_table(new QTableWidget) {
    auto* layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 8, 0, 0);
    auto* row = new QHBoxLayout;
    row->addWidget(new QLabel(tr("Hours by")));
    row->addWidget(m_rows);
    row->addWidget(new QLabel(tr("and")));
    row->addWidget(m_columns);
    row->addStretch(1);
    layout->addLayout(row);
    for (const LogFacet f :
         {LogFacet::Filter, LogFacet::Kind, LogFacet::Target, LogFacet::Place, LogFacet::Sky, LogFacet::Moon, LogFacet::Rig, LogFacet::Year}) {
        m_rows->addItem(tr(logFacetName(f)), static_cast<int>(f));
        m_columns->addItem(tr(logFacetName(f)), static_cast<int>(f));
    }
    m_columns->insertItem(0, tr(logFacetName(LogFacet::None)), static_cast<int>(LogFacet::None));
    m_columns->setCurrentIndex(m_columns->findData(static_cast<int>(LogFacet::Moon)));
    m_rows->setAccessibleName(tr("Rows")), m_columns->setAccessibleName(tr("Columns"));
    plainTable(*m_table, tr("Hours"));
    m_table->setItemDelegate(new BarDelegate(m_table));
    m_table->setToolTip(tr("A double click shows the runs behind a row; Ctrl+C copies all of it"));
    m_table->installEventFilter(this);
    layout->addWidget(m_table, 1);
    for (QComboBox* box : {m_rows, m_columns}) connect(box, &QComboBox::activated, this, &HoursPage::fill);
    connect(m_table, &QTableWidget::cellActivated, this, [this](int r, int) {
        const QString value = m_table->item(r, 0)->text(), field = logFacetField(facet(m_rows));
        if (r < m_table->rowCount() - 1 && m_table->item(r, 0)->data(Qt::UserRole).toBool())
            emit wanted(QString("%1:\"%2\"").arg(field, QString(value).remove('"')));
    });
}

LogFacet HoursPage::facet(const QComboBox* box) const {
    return static_cast<LogFacet>(box->currentData().toInt());
}

void HoursPage::fill() {
    const LogHours h = hoursBy(m_log.foundEntries(), facet(m_rows), facet(m_columns));
    QStringList heads{m_rows->currentText(), tr("runs")};
    const bool several = facet(m_columns) != LogFacet::None;
    if (several)
        for (const std::string& c : h.columns) heads << (facet(m_columns) == LogFacet::Moon ? tr("moon: %1").arg(coreWord(c)) : QString::fromStdString(c));
    heads << tr("hours") << tr("first night") << tr("last night");
    m_table->clear();
    m_table->setColumnCount(static_cast<int>(heads.size()));
    m_table->setHorizontalHeaderLabels(heads);
    m_table->setRowCount(h.rows.empty() ? 0 : static_cast<int>(h.rows.size()) + 1);
    double most = 0, all = 0;
    std::vector<double> sums, columnSums(h.columns.size(), 0);
    int runs = 0;
    for (std::size_t r = 0; r < h.rows.size(); ++r) {
        double sum = 0;
        for (std::size_t c = 0; c < h.columns.size(); ++c) sum += h.seconds[r][c], columnSums[c] += h.seconds[r][c];
        sums.push_back(sum), most = std::max(most, sum), all += sum, runs += h.runs[r];
    }
    const auto hours = [](double s) { return s > 0 ? QString::number(s / 3600, 'f', s < 36'000 ? 2 : 1) : QString::fromUtf8("\u2013"); };
    const auto line = [&](int row, const QString& name, bool known, int count, const std::vector<double>& cells, double sum, const QString& first,
                          const QString& last, bool bold) {
        int column = 0;
        const auto put = [&](const QString& text, double part) {
            auto* cell = new QTableWidgetItem(text);
            if (column > 0) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            cell->setData(kPart, part);
            cell->setData(Qt::UserRole, known);
            QFont font = cell->font();
            font.setBold(bold);
            cell->setFont(font);
            m_table->setItem(row, column++, cell);
        };
        put(name, 0);
        put(QString::number(count), 0);
        if (several)
            for (const double s : cells) put(hours(s), !bold && most > 0 ? s / most : 0);
        put(hours(sum), !bold && most > 0 && !several ? sum / most : 0);
        put(first, 0), put(last, 0);
    };
    for (std::size_t r = 0; r < h.rows.size(); ++r)
        line(static_cast<int>(r), h.rows[r] == "not known" ? tr("not known") : QString::fromStdString(h.rows[r]), h.rows[r] != "not known", h.runs[r],
             h.seconds[r], sums[r], QString::fromStdString(h.first[r]), QString::fromStdString(h.last[r]), false);
    if (!h.rows.empty()) line(static_cast<int>(h.rows.size()), tr("all"), false, runs, columnSums, all, {}, {}, true);
    m_table->resizeColumnsToContents();
    m_table->setColumnWidth(0, std::min(260, m_table->columnWidth(0)));
    for (int c = 1; c < m_table->columnCount(); ++c) m_table->setColumnWidth(c, std::max(76, m_table->columnWidth(c)));
}

QString HoursPage::text() const {
    return tableText(*m_table);
}

bool HoursPage::eventFilter(QObject* of, QEvent* event) {
    if (event->type() == QEvent::KeyPress && static_cast<QKeyEvent*>(event)->matches(QKeySequence::Copy)) {
        QGuiApplication::clipboard()->setText(text());
        return true;
    }
    return QWidget::eventFilter(of, event);
}

} // namespace caelumen
