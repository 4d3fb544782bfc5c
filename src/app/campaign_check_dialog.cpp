#include "app/campaign_check_dialog.h"

#include "app/widgets/plain_table.h"

#include <QClipboard>
#include <QDialogButtonBox>
#include <QFileInfo>
#include <QGuiApplication>
#include <QHeaderView>
#include <QLabel>
#include <QLocale>
#include <QPushButton>
#include <QTableWidget>
#include <QVBoxLayout>

namespace caelumen {

QString CampaignCheckDialog::whatMendingDoes() {
    return tr("A mended copy is a campaign of its own, with every trial that can be read; the file itself stays as it is.");
}

QString CampaignCheckDialog::summary(const CampaignCheck& found) {
    int good = 0, copied = found.onlyInCopy, lost = 0;
    for (const auto& t : found.trials) {
        good += t.problem.isEmpty();
        copied += !t.problem.isEmpty() && t.inCopy;
        lost += !t.problem.isEmpty() && !t.inCopy;
    }
    QStringList said;
    said << (found.damage.isEmpty() ? tr("The file is whole.") : found.damage);
    said << (good == 1 ? tr("One trial can be read.") : tr("%L1 trials can be read.").arg(good));
    const QString when = QLocale().toString(found.copied, QLocale::ShortFormat);
    if (copied == 1) said << tr("One more can be had from the good copy of %1.").arg(when);
    if (copied > 1) said << tr("%L2 more can be had from the good copy of %1.").arg(when).arg(copied);
    if (lost > 0) said << (lost == 1 ? tr("One can be read neither here nor in a copy.") : tr("%L1 can be read neither here nor in a copy.").arg(lost));
    if (found.copy.isEmpty()) said << tr("There is no good copy yet: one is kept each time that the campaign is opened whole.");
    return said.join(" ");
}

CampaignCheckDialog::CampaignCheckDialog(const QString& path, const CampaignCheck& found, QWidget* parent)
    : QDialog(parent) {
    setObjectName("campaignCheck");
    setAttribute(Qt::WA_DeleteOnClose);
    setWindowTitle(tr("Check of %1").arg(QFileInfo(path).completeBaseName()));
    auto* text = new QLabel(summary(found));
    text->setObjectName("checkSummary");
    text->setWordWrap(true);
    text->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    auto* table = new QTableWidget(static_cast<int>(found.trials.size()), 3);
    table->setObjectName("checkTable");
    plainTable(*table, tr("Trials of the campaign and their state"));
    table->setHorizontalHeaderLabels({tr("Trial"), tr("State"), tr("Files that are not where it says")});
    for (int row = 0; row < table->rowCount(); ++row) {
        const auto& t = found.trials[static_cast<std::size_t>(row)];
        const QString state = t.problem.isEmpty() ? tr("whole") : t.inCopy ? tr("damaged here, whole in the good copy") : t.problem;
        const QStringList cells{t.title, state, t.gone.isEmpty() ? tr("none") : t.gone.join("\n")};
        for (int column = 0; column < 3; ++column) {
            auto* item = new QTableWidgetItem(cells[column]);
            item->setToolTip(cells[column]);
            table->setItem(row, column, item);
        }
    }
    table->horizontalHeader()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    table->horizontalHeader()->setSectionResizeMode(1, QHeaderView::ResizeToContents);
    table->horizontalHeader()->setSectionResizeMode(2, QHeaderView::Stretch);
    table->resizeRowsToContents();
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    auto* mending = buttons->addButton(tr("Open a mended copy"), QDialogButtonBox::ActionRole);
    mending->setObjectName("mend");
    mending->setEnabled(found.canBeMended());
    mending->setToolTip(found.canBeMended() ? whatMendingDoes() : found.isWhole() ? tr("Nothing is damaged.") : tr("Nothing could be brought back."));
    auto* copy = buttons->addButton(tr("Copy all of it"), QDialogButtonBox::ActionRole);
    connect(copy, &QPushButton::clicked, this, [text, table] { QGuiApplication::clipboard()->setText(text->text() + "\n" + tableText(*table)); });
    connect(mending, &QPushButton::clicked, this, [this] {
        close();
        emit mendingWanted();
    });
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
    auto* layout = new QVBoxLayout(this);
    layout->addWidget(text);
    layout->addWidget(table, 1);
    layout->addWidget(buttons);
    resize(820, 420);
}

} // namespace caelumen
