#include "app/subs/run_table.h"

#include "app/subs/subs_model.h"
#include "app/widgets/core_words.h"
#include "app/widgets/plain_table.h"
#include "app/widgets/theme.h"
#include "report/local_number.h"

#include <QClipboard>
#include <QGuiApplication>
#include <QHeaderView>
#include <QKeyEvent>
#include <QSignalBlocker>

#include <set>

namespace caelumen {
namespace {

QString minutes(double s) {
    return s > 0 ? localNumber(s / 60, 'f', s < 600 ? 1 : 0) : QString::fromUtf8("\u2013");
}

} // namespace

RunTable::RunTable(SubsModel& model, QWidget* parent)
    : QTableWidget(parent)
    , m_model(model) {
    setObjectName("runTable");
    plainTable(*this, tr("All runs"));
    setToolTip(tr("Minutes kept and lost; a double click takes the run in hand; Ctrl+C copies all of it"));
    connect(this, &QTableWidget::cellActivated, this, [this](int row, int) { emit chosen(item(row, 0)->data(Qt::UserRole).toInt()); });
}

void RunTable::fill() {
    const QSignalBlocker quiet(this);
    const auto& groups = m_model.groups();
    std::set<SubReason> reasons;
    for (std::size_t g = 0; g < groups.size(); ++g)
        if (const SubsRun* run = groups[g].kind == FrameKind::Light ? m_model.runOf(static_cast<int>(g)) : nullptr; run && run->judged)
            for (const auto& [reason, seconds] : run->run.lost_s()) reasons.insert(reason);
    QStringList heads{tr("run"), tr("kept"), tr("kept min")};
    for (const SubReason r : reasons) heads << coreWord(reasonName(r));
    heads << tr("clear") << tr("in the night");
    clear();
    setColumnCount(static_cast<int>(heads.size()));
    setHorizontalHeaderLabels(heads);
    horizontalHeaderItem(columnCount() - 2)->setToolTip(tr("Mean starlight of the kept subs over that of the run's own clearest tenth"));
    horizontalHeaderItem(columnCount() - 1)
        ->setToolTip(tr("The same over the clearest of all runs of the night: stars before and after each swap of filters bring them onto one scale"));
    setRowCount(0);
    for (std::size_t g = 0; g < groups.size(); ++g) {
        if (groups[g].kind != FrameKind::Light) continue;
        const int row = rowCount();
        insertRow(row);
        int column = 0;
        const auto put = [&](const QString& text, const QString& tip = {}) {
            auto* cell = new QTableWidgetItem(text);
            cell->setToolTip(tip);
            cell->setData(Qt::UserRole, static_cast<int>(g));
            if (column > 0) cell->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
            setItem(row, column++, cell);
        };
        const QString title = QString::fromStdString(groups[g].title());
        put(groups[g].filter.empty() ? title : QString::fromStdString(groups[g].filter), title);
        const SubsRun* run = m_model.runOf(static_cast<int>(g));
        if (!run || !run->judged) {
            put(run && run->hopeless ? tr("not judged") : QString::fromUtf8("\u2026"));
            while (column < columnCount()) put({});
            continue;
        }
        put(tr("%1 of %2").arg(run->run.kept()).arg(run->run.subs.size()));
        put(minutes(run->run.kept_s()));
        const auto lost = run->run.lost_s();
        for (const SubReason r : reasons) put(minutes(lost.count(r) ? lost.at(r) : 0));
        const auto clear = run->run.transparency();
        put(clear ? localNumber(clear->mean, 'f', 2) : QString::fromUtf8("\u2013"), clear ? QString() : tr("Too few stars tell of it."));
        if (clear && run->scale)
            put(run->scale->sigma > 0 ? QString::fromUtf8("%1 \u00B1 %2")
                                            .arg(localNumber(clear->mean * run->scale->factor, 'f', 2))
                                            .arg(localNumber(std::max(0.01, clear->mean * run->scale->sigma), 'f', 2))
                                      : localNumber(clear->mean * run->scale->factor, 'f', 2));
        else
            put(QString::fromUtf8("\u2013"), tr("No other run of this night was swapped with it within 45 minutes."));
        if (static_cast<int>(g) == m_model.current()) selectRow(row);
    }
    resizeColumnsToContents();
    setColumnWidth(0, std::min(200, columnWidth(0)));
}

QString RunTable::text() const {
    return tableText(*this);
}

void RunTable::keyPressEvent(QKeyEvent* event) {
    if (event->matches(QKeySequence::Copy)) return QGuiApplication::clipboard()->setText(text());
    QTableWidget::keyPressEvent(event);
}

} // namespace caelumen
