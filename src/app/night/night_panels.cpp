#include "app/night/night.h"
#include "app/night/night_chart.h"
#include "app/widgets/form_fields.h"
#include "app/widgets/theme.h"

#include <QComboBox>
#include <QDateEdit>
#include <QDoubleSpinBox>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPainter>
#include <QPushButton>
#include <QStyledItemDelegate>
#include <QToolButton>
#include <QVBoxLayout>

#include <array>

// What the Night is made of, and which edit each part makes.

namespace caelumen {
namespace {

/// A target and, smaller and dimmer, what is to be said of it.
class TwoLines : public QStyledItemDelegate {
public:
    using QStyledItemDelegate::QStyledItemDelegate;

private:
    QSize sizeHint(const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        const int lines = static_cast<int>(index.data().toString().count('\n')) + 1;
        return {option.fontMetrics.height(), lines * option.fontMetrics.height() + 8};
    }
    void paint(QPainter* p, const QStyleOptionViewItem& option, const QModelIndex& index) const override {
        p->save();
        if (option.state & QStyle::State_Selected) p->fillRect(option.rect, theme().raised);
        const QStringList lines = index.data().toString().split('\n');
        const QRect inside = option.rect.adjusted(6, 4, -4, -4);
        for (int i = 0; i < lines.size(); ++i) {
            p->setPen(i == 0 && index.flags().testFlag(Qt::ItemIsEnabled) ? theme().text : theme().dim);
            p->drawText(inside.adjusted(0, i * option.fontMetrics.height(), 0, 0), Qt::AlignLeft | Qt::AlignTop,
                        option.fontMetrics.elidedText(lines[i], Qt::ElideRight, inside.width()));
        }
        p->restore();
    }
};

constexpr std::array kDusk{-18.0, -12.0};

} // namespace

QWidget* Night::buildLeft() {
    auto* left = new QWidget;
    auto* layout = new QVBoxLayout(left);
    layout->setContentsMargins(12, 8, 4, 10);
    layout->addWidget(headingLabel(tr("Evening of")));
    auto* row = new QHBoxLayout;
    row->setSpacing(3);
    m_date->setDisplayFormat("yyyy-MM-dd");
    m_date->setDateRange(QDate(1900, 1, 2), QDate(2100, 12, 30));
    m_date->setKeyboardTracking(false);
    m_date->setAccessibleName(tr("Date"));
    const auto step = [&](const QString& text, int days, const QString& tip) {
        auto* button = new QToolButton;
        button->setText(text);
        button->setToolTip(tip);
        connect(button, &QToolButton::clicked, this, [this, days] { m_date->setDate(m_date->date().addDays(days)); });
        row->addWidget(button);
    };
    step(QString::fromUtf8("\u2039"), -1, tr("The night before"));
    row->addWidget(m_date, 1);
    step(QString::fromUtf8("\u203A"), 1, tr("The next night"));
    layout->addLayout(row);
    connect(m_date, &QDateEdit::dateChanged, this, [this](QDate d) {
        if (!m_filling) m_model.setDate(d.toString(Qt::ISODate));
    });
    m_place->setObjectName("dim");
    m_place->setWordWrap(true);
    layout->addWidget(m_place);
    layout->addSpacing(6);
    layout->addWidget(headingLabel(tr("Target")));
    m_search->setPlaceholderText(tr("number or name"));
    m_search->setClearButtonEnabled(true);
    m_search->setAccessibleName(tr("Search a target"));
    layout->addWidget(m_search);
    connect(m_search, &QLineEdit::textChanged, this, &Night::fillTargets);
    m_targets->setItemDelegate(new TwoLines(m_targets));
    m_targets->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_targets->setAccessibleName(tr("Targets"));
    layout->addWidget(m_targets, 3);
    connect(m_targets, &QListWidget::itemActivated, this, [this](QListWidgetItem* item) {
        const auto id = item->data(Qt::UserRole).toString().toStdString();
        for (const DeepSky& d : m_model.targets())
            if (d.id == id) return m_model.setTarget(d);
    });
    connect(m_targets, &QListWidget::itemClicked, m_targets, &QListWidget::itemActivated);
    connect(m_search, &QLineEdit::returnPressed, this, [this] {
        if (m_targets->count() > 0) emit m_targets->itemActivated(m_targets->item(0));
    });
    layout->addWidget(headingLabel(tr("Filters, the baseline first")));
    m_filters->setAccessibleName(tr("Filters"));
    m_filters->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    m_filters->setToolTip(tr("Tick those that are tested. Drag to order them: the first one ticked is the baseline."));
    m_filters->setDragDropMode(QAbstractItemView::InternalMove);
    layout->addWidget(m_filters, 2);
    const auto chosenFilters = [this] {
        if (m_filling) return;
        std::vector<std::string> chosen;
        for (int i = 0; i < m_filters->count(); ++i)
            if (m_filters->item(i)->checkState() == Qt::Checked) chosen.push_back(m_filters->item(i)->data(Qt::UserRole).toString().toStdString());
        editPlan(tr("Filters of the night"), [&](Plan& p) { p.filters = chosen; });
    };
    connect(m_filters, &QListWidget::itemChanged, this, chosenFilters);
    connect(m_filters->model(), &QAbstractItemModel::rowsMoved, this, chosenFilters);
    auto* menu = new QMenu(this);
    menu->addAction(tr("New night to plan"), this, &Night::newNight)
        ->setToolTip(tr("A trial of its own with this one's place, telescope and filters; stacks fill it later"));
    menu->addSeparator();
    menu->addAction(tr("Pauses, power and clock \u2026"), this, &Night::askSettings);
    menu->addAction(tr("Import targets \u2026"), this, &Night::askTargets);
    QAction* stand = menu->addAction(tr("Virtual sky meter and clouds"));
    stand->setCheckable(true);
    stand->setToolTip(tr("Stand-ins for devices, made up for each date: to try and to teach without any"));
    connect(stand, &QAction::toggled, &m_model, &NightModel::setVirtual);
    menu->setToolTipsVisible(true);
    menu->addSeparator();
    menu->addAction(tr("Print to a page (PDF) \u2026"), this, [this] { askExport("pdf"); });
    menu->addAction(tr("Calendar file (iCalendar) \u2026"), this, [this] { askExport("ics"); });
    menu->addAction(tr("Blocks as a table (CSV) \u2026"), this, [this] { askExport("csv"); });
    menu->addAction(tr("Plan (JSON) \u2026"), this, [this] { askExport("json"); });
    auto* button = new QPushButton(tr("Plan"));
    button->setMenu(menu);
    layout->addWidget(button);
    left->setMinimumWidth(190);
    return left;
}

QWidget* Night::buildControls() {
    auto* bar = new QWidget;
    auto* both = new QVBoxLayout(bar);
    both->setContentsMargins(4, 0, 4, 4);
    both->setSpacing(4);
    auto *row = new QHBoxLayout, *second = new QHBoxLayout;
    both->addLayout(row);
    both->addLayout(second);
    m_rounds->setRange(1, 12);
    m_rounds->setAccessibleName(tr("Rounds"));
    m_subs->setRange(1, 500);
    m_subs->setAccessibleName(tr("Subs in a block"));
    m_exposure->setRange(0.1, 3600);
    m_exposure->setDecimals(1);
    m_exposure->setSuffix(tr(" s"));
    m_rounds->setFixedWidth(58);
    m_subs->setFixedWidth(64);
    m_exposure->setFixedWidth(86);
    m_exposure->setAccessibleName(tr("Exposure"));
    m_lowest->setRange(0, 80);
    m_lowest->setDecimals(0);
    m_lowest->setSuffix(QString::fromUtf8("\u00B0"));
    m_lowest->setAccessibleName(tr("Lowest altitude"));
    for (QAbstractSpinBox* box : std::initializer_list<QAbstractSpinBox*>{m_rounds, m_subs, m_exposure, m_lowest}) box->setKeyboardTracking(false);
    m_star->setToolTip(tr("A series of short subs on a bright star through each filter shows its halos. Best ones for this night first."));
    m_star->setAccessibleName(tr("Bright star"));
    m_star->setMinimumContentsLength(9);
    auto* fit = new QPushButton(tr("Fill night"));
    fit->setToolTip(tr("The most subs a block can have in this night"));
    auto* lay = new QPushButton(tr("Lay anew"));
    lay->setToolTip(tr("Lays the blocks from the start of the usable time"));
    row->addWidget(new QLabel(tr("Blocks of")));
    row->addWidget(m_subs);
    row->addWidget(new QLabel(QString::fromUtf8("\u00D7")));
    row->addWidget(m_exposure);
    row->addWidget(m_lengths);
    row->addWidget(new QLabel(tr("rounds")));
    row->addWidget(m_rounds);
    row->addStretch(1);
    row->addWidget(fit);
    row->addWidget(lay);
    second->addWidget(new QLabel(tr("above")));
    second->addWidget(m_lowest);
    second->addWidget(m_dusk);
    second->addWidget(m_flip);
    second->addWidget(m_order);
    second->addStretch(1);
    second->addWidget(new QLabel(tr("star")));
    second->addWidget(m_star);
    connect(m_rounds, &QSpinBox::valueChanged, this, [this](int v) { editPlan(tr("Rounds"), [v](Plan& p) { p.rounds = v; }); });
    connect(m_subs, &QSpinBox::valueChanged, this, [this](int v) { editPlan(tr("Subs"), [v](Plan& p) { p.subs = v; }); });
    connect(m_exposure, &QDoubleSpinBox::valueChanged, this, [this](double v) { editPlan(tr("Exposure"), [v](Plan& p) { p.exposure_s = v; }); });
    connect(m_lowest, &QDoubleSpinBox::valueChanged, this, [this](double v) { editPlan(tr("Lowest altitude"), [v](Plan& p) { p.lowest_deg = v; }); });
    connect(m_order, &QComboBox::currentIndexChanged, this, [this](int i) {
        editPlan(tr("Order"), [i](Plan& p) {
            p.order = i == 1 ? BlockOrder::Square : BlockOrder::Mirrored;
            if (i == 1) p.rounds = std::max(1, static_cast<int>(p.filters.size()));
        });
    });
    connect(m_flip, &QComboBox::currentIndexChanged, this,
            [this](int i) { editPlan(tr("Meridian"), [i](Plan& p) { p.flip = i == 1 ? FlipSchool::Flipped : FlipSchool::Wait; }); });
    connect(m_dusk, &QComboBox::currentIndexChanged, this,
            [this](int i) { editPlan(tr("Twilight"), [i](Plan& p) { p.twilight_deg = kDusk[static_cast<std::size_t>(i)]; }); });
    connect(m_lengths, &QComboBox::activated, this, [this](int i) { m_model.setOwnLengths(i == 1); });
    connect(m_star, &QComboBox::activated, this,
            [this](int i) { editPlan(tr("Halo star"), [this, i](Plan& p) { p.brightStar = m_star->itemData(i).toString().toStdString(); }); });
    connect(fit, &QPushButton::clicked, &m_model, &NightModel::fitSubs);
    connect(lay, &QPushButton::clicked, this, [this] { editPlan(tr("Lay the blocks"), [](Plan&) {}); });
    return bar;
}

} // namespace caelumen
