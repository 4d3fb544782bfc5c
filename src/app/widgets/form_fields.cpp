#include "app/widgets/form_fields.h"

#include "core/model/filter_kinds.h"
#include "report/local_number.h"

#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QSlider>
#include <QToolButton>
#include <QVBoxLayout>

#include <algorithm>
#include <array>
#include <cmath>

namespace caelumen {
namespace {

struct Kind {
    const char *id, *name;
};
constexpr std::array kKinds{Kind{filter_kind::none, "no filter"},
                            Kind{filter_kind::uvIrCut, "UV/IR cut"},
                            Kind{filter_kind::lightPollution, "light pollution"},
                            Kind{filter_kind::multiBand, "multi-band"},
                            Kind{filter_kind::dualBand, "dual-band"},
                            Kind{filter_kind::singleLine, "single line"},
                            Kind{filter_kind::nearInfrared, "near infrared pass"},
                            Kind{filter_kind::other, "other"}};

} // namespace

std::optional<double> OptionalNumber::value(bool& valid) const {
    const QString text = edit->text().trimmed().replace(',', '.');
    valid = true;
    if (text.isEmpty()) return std::nullopt;
    bool ok = false;
    const double v = text.toDouble(&ok);
    valid = ok && std::isfinite(v) && v >= low && v <= high;
    return v;
}

OptionalNumber field(QFormLayout* form, const QString& label, std::optional<double> value, std::optional<double> otherwise, double low, double high) {
    OptionalNumber n;
    n.edit = new QLineEdit(value ? localNumber(*value, 'g', 10) : QString());
    n.edit->setPlaceholderText(otherwise ? QObject::tr("%1 (from the header or the rig)").arg(localNumber(*otherwise, 'g', 6)) : QObject::tr("not known"));
    n.low = low;
    n.high = high;
    form->addRow(label, n.edit);
    return n;
}

std::optional<double> get(const OptionalNumber& f) {
    bool valid = true;
    return f.value(valid);
}

/// Shows the first field that does not hold; true when all do.
bool check(std::initializer_list<std::pair<const char*, const OptionalNumber*>> fields, QLabel* problem) {
    for (const auto& [name, f] : fields) {
        bool valid = true;
        (void)f->value(valid);
        if (valid) continue;
        problem->setText(QObject::tr("%1 must be a number from %2 to %3, or empty.").arg(QObject::tr(name)).arg(f->low).arg(f->high));
        problem->show();
        f->edit->setFocus();
        f->edit->selectAll();
        return false;
    }
    return true;
}

QString kindName(const std::string& kind) {
    for (const Kind& k : kKinds)
        if (kind == k.id) return QObject::tr(k.name);
    return QObject::tr(kKinds.back().name);
}

QComboBox* kindBox(const std::string& chosen) {
    auto* box = new QComboBox;
    for (const Kind& k : kKinds) {
        box->addItem(QObject::tr(k.name), QString(k.id));
        if (chosen == k.id) box->setCurrentIndex(box->count() - 1);
    }
    return box;
}

QComboBox* bayerBox(const std::string& chosen, const QString& known) {
    auto* box = new QComboBox;
    box->addItem(known.isEmpty() ? QObject::tr("as the header says") : QObject::tr("as the header says: %1").arg(known), QString());
    for (const char* pattern : {"RGGB", "BGGR", "GRBG", "GBRG"}) box->addItem(pattern, QString(pattern));
    box->addItem(QObject::tr("none: a monochrome camera"), QString("none"));
    box->setCurrentIndex(std::max(0, box->findData(QString::fromStdString(chosen))));
    box->setToolTip(QObject::tr("Colours of the first two pixels of the first two stored rows"));
    return box;
}

QComboBox* choices(const QStringList& texts, const QString& tip, const QString& name) {
    auto* box = new QComboBox;
    box->addItems(texts);
    box->setToolTip(tip);
    box->setAccessibleName(name);
    return box;
}

QSlider* panelSlider(int low, int high, int value, const QString& name) {
    auto* s = new QSlider(Qt::Horizontal);
    s->setRange(low, high);
    s->setValue(value);
    s->setAccessibleName(name);
    s->setMinimumWidth(60);
    return s;
}

QToolButton* quietButton(const QString& text, const QString& tip) {
    auto* b = new QToolButton;
    b->setText(text);
    b->setToolTip(tip);
    b->setFocusPolicy(Qt::NoFocus);
    return b;
}

QLabel* problemLabel() {
    auto* label = new QLabel;
    label->setWordWrap(true);
    label->hide();
    return label;
}

QLabel* headingLabel(const QString& text) {
    auto* label = new QLabel(text);
    label->setObjectName("heading");
    return label;
}

void finish(QDialog* dialog, QFormLayout* form, QLabel* problem) {
    for (int r = 0; r < form->rowCount(); ++r) { // what a reader calls each field
        const auto *label = form->itemAt(r, QFormLayout::LabelRole), *entry = form->itemAt(r, QFormLayout::FieldRole);
        const auto* words = label ? qobject_cast<QLabel*>(label->widget()) : nullptr;
        if (words && entry && entry->widget() && entry->widget()->accessibleName().isEmpty()) entry->widget()->setAccessibleName(words->text());
    }
    auto* layout = new QVBoxLayout(dialog);
    layout->addLayout(form);
    layout->addWidget(problem);
    auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
    layout->addWidget(buttons);
    QObject::connect(buttons, &QDialogButtonBox::accepted, dialog, &QDialog::accept);
    QObject::connect(buttons, &QDialogButtonBox::rejected, dialog, &QDialog::reject);
    dialog->setMinimumWidth(430);
}

} // namespace caelumen
