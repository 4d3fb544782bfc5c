#include "app/kit/chart_dialog.h"

#include "app/widgets/form_fields.h"
#include "core/optics/passband.h"
#include "report/local_number.h"

#include <QButtonGroup>
#include <QCheckBox>
#include <QDialogButtonBox>
#include <QDoubleSpinBox>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QRadioButton>
#include <QShortcut>
#include <QUndoStack>
#include <QVBoxLayout>

#include <algorithm>

namespace caelumen {
namespace {

ChartPicture chartFrom(const QImage& image) {
    const QImage rgb = image.convertToFormat(QImage::Format_RGB888);
    ChartPicture out{rgb.width(), rgb.height(), {}};
    out.rgb.resize(3UL * static_cast<std::size_t>(rgb.width()) * static_cast<std::size_t>(rgb.height()));
    for (int y = 0; y < rgb.height(); ++y) std::copy_n(rgb.constScanLine(y), 3 * rgb.width(), out.rgb.begin() + 3LL * y * rgb.width());
    return out;
}

QLabel* wrapped() {
    auto* label = new QLabel;
    label->setWordWrap(true);
    return label;
}

} // namespace

/// One step back or forth between two states of the marks.
class ChartDialog::Change : public QUndoCommand {
public:
    Change(ChartDialog& dialog, const QString& what, ChartMarks before, ChartMarks after)
        : QUndoCommand(what)
        , m_dialog(dialog)
        , m_before(std::move(before))
        , m_after(std::move(after)) {}
    void undo() override { m_dialog.put(m_before); }
    void redo() override { m_dialog.put(m_after); }

private:
    ChartDialog& m_dialog;
    ChartMarks m_before, m_after;
};

ChartDialog::ChartDialog(const QImage& picture, const QString& name, QWidget* parent)
    : QDialog(parent)
    , m_picture(chartFrom(picture))
    , m_undo(new QUndoStack(this))
    , m_view(new ChartView)
    , m_tools(new QButtonGroup(this))
    , m_values{}
    , m_logarithmic(nullptr)
    , m_advice(wrapped())
    , m_reading(new QLabel)
    , m_found(wrapped())
    , m_use(nullptr) {
    setWindowTitle(tr("Curve of %1 from a picture").arg(name));
    m_view->setPicture(picture);
    connect(&m_jobs, &JobService::failed, m_found, &QLabel::setText);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    m_use = buttons->button(QDialogButtonBox::Ok);
    m_use->setText(tr("Save and use the curve \u2026"));
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    auto* across = new QHBoxLayout;
    across->addWidget(buildSteps());
    across->addWidget(m_view, 1);
    auto* layout = new QVBoxLayout(this);
    layout->addLayout(across, 1);
    layout->addWidget(buttons);
    resize(1120, 700);
    connect(m_view, &ChartView::clicked, this, &ChartDialog::clicked);
    connect(m_view, &ChartView::hovered, this, &ChartDialog::hovered);
    const auto moved = [this](const QString& what, bool dropped, auto change) {
        if (m_before == ChartMarks{}) m_before = m_marks;
        ChartMarks marks = m_marks;
        change(marks);
        if (!dropped) return put(marks);
        sortPoints(marks);
        m_marks = m_before;
        m_before = {};
        set(marks, what);
    };
    connect(m_view, &ChartView::markMoved, this, [moved](int i, ChartPoint to, bool dropped) {
        moved(tr("Move a mark"), dropped, [&](ChartMarks& m) { m.axes[static_cast<std::size_t>(i)] = to; });
    });
    connect(m_view, &ChartView::pointMoved, this, [moved](int i, ChartPoint to, bool dropped) {
        moved(tr("Move a point"), dropped, [&](ChartMarks& m) { m.points[static_cast<std::size_t>(i)] = to; });
    });
    connect(m_view, &ChartView::pointRemoved, this, [this](int i) {
        ChartMarks marks = m_marks;
        marks.points.erase(marks.points.begin() + i);
        set(marks, tr("Remove a point"));
    });
    connect(new QShortcut(QKeySequence::Undo, this), &QShortcut::activated, m_undo, &QUndoStack::undo);
    connect(new QShortcut(QKeySequence::Redo, this), &QShortcut::activated, m_undo, &QUndoStack::redo);
    refresh();
}

QWidget* ChartDialog::buildSteps() {
    auto* panel = new QWidget;
    panel->setFixedWidth(310);
    auto* layout = new QVBoxLayout(panel);
    layout->setContentsMargins(0, 0, 8, 0);
    layout->addWidget(headingLabel(tr("Axes")));
    auto* grid = new QGridLayout;
    const std::array names{tr("Wavelength, first mark"), tr("Wavelength, second mark"), tr("Transmission, first mark"), tr("Transmission, second mark")};
    const std::array values{400.0, 700.0, 0.0, 100.0};
    for (int i = 0; i < 4; ++i) {
        const auto k = static_cast<std::size_t>(i);
        auto* choice = new QRadioButton(names[k]);
        m_tools->addButton(choice, i);
        m_values[k] = new QDoubleSpinBox;
        m_values[k]->setRange(i < 2 ? 100 : -10, i < 2 ? 3000 : 120);
        m_values[k]->setDecimals(1);
        m_values[k]->setSuffix(i < 2 ? tr(" nm") : tr(" %"));
        m_values[k]->setValue(values[k]);
        m_values[k]->setAccessibleName(names[k]);
        connect(m_values[k], &QDoubleSpinBox::valueChanged, this, [this] {
            m_trouble.clear();
            refresh();
        });
        grid->addWidget(choice, i, 0);
        grid->addWidget(m_values[k], i, 1);
    }
    m_logarithmic = new QCheckBox(tr("Transmission runs logarithmically"));
    m_logarithmic->setToolTip(tr("For charts in decades or in optical density: density 2 is 1 %, density 4 is 0.01 %."));
    connect(m_logarithmic, &QCheckBox::toggled, this, [this](bool on) {
        for (const std::size_t k : {2U, 3U}) m_values[k]->setDecimals(on ? 4 : 1);
        if (on && m_values[2]->value() <= 0) m_values[2]->setValue(0.01);
        m_trouble.clear();
        refresh();
    });
    grid->addWidget(m_logarithmic, 4, 0, 1, 2);
    grid->setColumnStretch(0, 1);
    layout->addLayout(grid);
    layout->addSpacing(10);
    layout->addWidget(headingLabel(tr("Line")));
    auto* followChoice = new QRadioButton(tr("Follow the line of a colour"));
    auto* pointChoice = new QRadioButton(tr("Set points by hand"));
    m_tools->addButton(followChoice, Follow);
    m_tools->addButton(pointChoice, Points);
    m_tools->button(Wavelength1)->setChecked(true);
    auto* clear = new QPushButton(tr("Remove all points"));
    clear->setAutoDefault(false);
    connect(clear, &QPushButton::clicked, this, [this] {
        ChartMarks marks = m_marks;
        marks.points.clear();
        if (!(marks == m_marks)) set(marks, tr("Remove all points"));
    });
    layout->addWidget(followChoice);
    layout->addWidget(pointChoice);
    layout->addWidget(clear);
    layout->addSpacing(10);
    layout->addWidget(m_advice);
    layout->addStretch(1);
    layout->addWidget(m_found);
    m_reading->setObjectName("dim");
    layout->addWidget(m_reading);
    auto* help = wrapped();
    help->setObjectName("dim");
    help->setText(tr("Wheel: zoom \u00B7 right button: move \u00B7 drag marks and points to correct them \u00B7 Delete: remove a point \u00B7 Ctrl+Z: undo "
                     "\u00B7 0: whole picture"));
    layout->addWidget(help);
    connect(m_tools, &QButtonGroup::idToggled, this, [this] {
        m_trouble.clear();
        refresh();
    });
    return panel;
}

std::optional<ChartScale> ChartDialog::scale() const {
    for (const auto& m : m_marks.axes)
        if (!m) return std::nullopt;
    const auto mark = [&](std::size_t i, double per) { return AxisMark{*m_marks.axes[i], m_values[i]->value() / per}; };
    auto scale = ChartScale::from({mark(0, 1), mark(1, 1)}, {mark(2, 100), mark(3, 100)}, m_logarithmic->isChecked() ? ChartRun::Logarithmic : ChartRun::Even);
    return scale ? std::optional(*scale) : std::nullopt;
}

Curve ChartDialog::curve() const {
    const auto s = scale();
    return s && m_marks.points.size() > 1 ? curveFrom(m_marks.points, *s) : Curve{};
}

void ChartDialog::sortPoints(ChartMarks& marks) const {
    if (const auto s = scale())
        std::stable_sort(marks.points.begin(), marks.points.end(),
                         [&](const ChartPoint& a, const ChartPoint& b) { return s->wavelength(a) < s->wavelength(b); });
}

void ChartDialog::set(const ChartMarks& marks, const QString& what) {
    m_undo->push(new Change(*this, what, m_marks, marks));
}

void ChartDialog::put(const ChartMarks& marks) {
    m_marks = marks;
    m_trouble.clear();
    refresh();
}

void ChartDialog::clicked(ChartPoint at) {
    const int tool = m_tools->checkedId();
    ChartMarks marks = m_marks;
    if (tool <= Transmission2) {
        marks.axes[static_cast<std::size_t>(tool)] = at;
        set(marks, tr("Set a mark"));
        // On to what is still missing.
        for (int next = 0; next <= Transmission2; ++next)
            if (!m_marks.axes[static_cast<std::size_t>(next)]) return m_tools->button(next)->setChecked(true);
        m_tools->button(Follow)->setChecked(true);
    } else if (!scale()) {
        m_trouble = tr("Set the two marks of each axis first.");
        refresh();
    } else if (tool == Follow) {
        follow(at);
    } else {
        marks.points.push_back(at);
        sortPoints(marks);
        set(marks, tr("Set a point"));
    }
}

void ChartDialog::follow(ChartPoint at) {
    const auto s = scale();
    m_jobs.run("follow", tr("Following the line"), [this, picture = m_picture, s = *s, at](const Job&) -> JobService::Finish {
        auto line = followLine(picture, s, at);
        return [this, line = std::move(line)] {
            if (!line) {
                m_trouble = QString::fromStdString(line.error().message);
                return refresh();
            }
            ChartMarks marks = m_marks;
            marks.points = thinnedLine(*line, 0.15);
            sortPoints(marks);
            set(marks, tr("Follow the line"));
        };
    });
}

QString ChartDialog::advice() const {
    return m_advice->text();
}

void ChartDialog::hovered(ChartPoint at) {
    const auto s = scale();
    m_reading->setText(s ? tr("%1 nm, %2 %")
                               .arg(localNumber(s->wavelength(at), 'f', 1))
                               .arg(100 * s->transmission(at), 0, m_logarithmic->isChecked() ? 'g' : 'f', m_logarithmic->isChecked() ? 2 : 1)
                         : tr("x %1, y %2").arg(localNumber(at.x, 'f', 1)).arg(localNumber(at.y, 'f', 1)));
}

void ChartDialog::refresh() {
    m_view->setMarks(m_marks);
    const int tool = m_tools->checkedId();
    QString advice = m_trouble;
    if (advice.isEmpty() && tool <= Transmission2)
        advice = tr("Click where the axis says %1%2.")
                     .arg(m_values[static_cast<std::size_t>(tool)]->value())
                     .arg(m_values[static_cast<std::size_t>(tool)]->suffix());
    else if (advice.isEmpty() && tool == Follow)
        advice = tr("Click on the line, where nothing else crosses it.");
    else if (advice.isEmpty())
        advice = tr("Click along the line, close together where it bends.");
    if (m_trouble.isEmpty() && !scale() && std::all_of(m_marks.axes.begin(), m_marks.axes.end(), [](const auto& m) { return m.has_value(); }))
        advice = tr("The marks do not fit their values: two of an axis must lie apart and say different things.");
    m_advice->setText(advice);
    const Curve c = curve();
    QString found;
    if (!c.empty()) {
        found = tr("%n point(s)", nullptr, static_cast<int>(c.wavelength_nm.size()));
        for (const Band& b : bandsOf(c))
            found += tr("\nband at %1 nm, %2 nm wide, %3 %")
                         .arg(localNumber(b.center_nm, 'f', 1))
                         .arg(localNumber(b.fwhm_nm, 'f', 1))
                         .arg(localNumber(100 * b.peak, 'f', 0));
    }
    m_found->setText(found);
    m_use->setEnabled(!c.empty());
}

} // namespace caelumen
