#include "app/facts_dialog.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QTest>

using namespace caelumen;

namespace {

Trial oneRun() {
    Trial t;
    t.title = "Trial";
    t.site.bortle = 4;
    t.rig.focal_length_mm = 480;
    t.filters = {{"duo", "duo_3nm", "other", "", std::nullopt, true}};
    Run r;
    r.id = "A";
    r.filter = "duo";
    r.stack = "a.fits";
    r.sub_count = 20;
    t.runs = {r};
    return t;
}

/// The field beside a label.
template<class Widget>
Widget* field(const QDialog& dialog, const QString& label) {
    for (QFormLayout* form : dialog.findChildren<QFormLayout*>())
        for (int row = 0; row < form->rowCount(); ++row) {
            const auto* name = qobject_cast<QLabel*>(form->itemAt(row, QFormLayout::LabelRole)->widget());
            if (name && name->text() == label) return qobject_cast<Widget*>(form->itemAt(row, QFormLayout::FieldRole)->widget());
        }
    return nullptr;
}

} // namespace

class FactsDialogTest : public QObject {
    Q_OBJECT

private slots:
    void runFactsAreTakenOver() {
        RunFactsDialog dialog(oneRun(), "A", nullptr);
        QTest::keyClicks(field<QLineEdit>(dialog, "Sub exposure (s)"), "180,5"); // a decimal comma is a comma
        field<QLineEdit>(dialog, "Number of subs")->clear();
        field<QLineEdit>(dialog, "Filter")->setText("Twinline 3");
        auto* kind = field<QComboBox>(dialog, "Kind");
        kind->setCurrentIndex(kind->findData("dual-band"));
        dialog.accept();
        QCOMPARE(dialog.result(), int(QDialog::Accepted));
        const Trial t = dialog.trial();
        QCOMPARE(*t.runs[0].sub_exposure_s, 180.5);
        QVERIFY(!t.runs[0].sub_count);
        QCOMPARE(t.filters[0].name, std::string("Twinline 3"));
        QCOMPARE(t.filters[0].kind, std::string("dual-band"));
        QVERIFY(!t.filters[0].guessed);
    }

    void wrongNumbersAreRefusedInWords_data() {
        QTest::addColumn<QString>("label");
        QTest::addColumn<QString>("value");
        QTest::newRow("words") << "Sub exposure (s)" << "three minutes";
        QTest::newRow("negative") << "Sub exposure (s)" << "-3";
        QTest::newRow("zero subs") << "Number of subs" << "0";
        QTest::newRow("absurd temperature") << QString::fromUtf8("Sensor (\u00B0C)") << "900";
        QTest::newRow("no time") << "Start (UTC)" << "last night";
    }
    void wrongNumbersAreRefusedInWords() {
        QFETCH(QString, label);
        QFETCH(QString, value);
        RunFactsDialog dialog(oneRun(), "A", nullptr);
        dialog.show();
        field<QLineEdit>(dialog, label)->setText(value);
        dialog.accept();
        QVERIFY(dialog.isVisible());
        bool told = false;
        for (const QLabel* l : dialog.findChildren<QLabel*>()) told = told || (l->isVisible() && (l->text().contains("must be a number") || l->text().contains("not a time")));
        QVERIFY(told);
        QVERIFY(dialog.trial() == oneRun());
    }

    void trialFactsAreTakenOver() {
        TrialFactsDialog dialog(oneRun());
        field<QLineEdit>(dialog, "Site")->setText("Honeybush garden");
        field<QLineEdit>(dialog, "Bortle class")->setText("5");
        field<QLineEdit>(dialog, "Focal length (mm)")->clear();
        dialog.accept();
        QCOMPARE(dialog.trial().site.name, std::string("Honeybush garden"));
        QCOMPARE(*dialog.trial().site.bortle, 5);
        QVERIFY(!dialog.trial().rig.focal_length_mm);
        TrialFactsDialog bad(oneRun());
        bad.show();
        field<QLineEdit>(bad, "Bortle class")->setText("12");
        bad.accept();
        QVERIFY(bad.isVisible());
    }
};

QTEST_MAIN(FactsDialogTest)
#include "facts_dialog_test.moc"
