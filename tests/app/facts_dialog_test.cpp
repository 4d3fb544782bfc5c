#include "app/facts_dialog.h"
#include "app/widgets/elided_label.h"
#include "app/widgets/prompts.h"
#include "support/watched_app.h"

#include <QApplication>
#include <QComboBox>
#include <QDragEnterEvent>
#include <QFile>
#include <QFormLayout>
#include <QLabel>
#include <QLineEdit>
#include <QMimeData>
#include <QTemporaryDir>
#include <QTest>
#include <QToolButton>
#include <QUrl>

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

/// Answers with one file.
struct OneFile : Prompts {
    QString file;
    QString openFile(QWidget*, const QString&, const QString&) override { return file; }
};

class FactsDialogTest : public QObject {
    Q_OBJECT

    OneFile m_prompts;

private slots:
    /// Chosen by the button, dropped and typed; half a pair and files that are not there are refused in words.
    void stacksBesideTheStackAreTakenOver() {
        QTemporaryDir folder;
        const auto make = [&](const char* name) {
            QFile f(folder.filePath(name));
            return f.open(QIODevice::WriteOnly) && f.write("frame") == 5 ? f.fileName() : QString();
        };
        const QString brief = make("short.fits"), odd = make("a-odd.fits"), even = make("a-even.fits");
        RunFactsDialog dialog(oneRun(), "A", nullptr, m_prompts);
        dialog.show();
        m_prompts.file = brief;
        QTest::mouseClick(field<QWidget>(dialog, "Short stack")->findChild<QToolButton*>(), Qt::LeftButton);
        QTest::keyClicks(field<QLineEdit>(dialog, "Its sub exposure (s)"), "0.5");
        QMimeData data;
        data.setUrls({QUrl::fromLocalFile(odd)});
        auto* target = field<QWidget>(dialog, "Odd subs alone");
        QDragEnterEvent enter({5, 5}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop({5, 5}, Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(target, &drop);
        const auto told = [&](const char* words) {
            for (const QLabel* l : dialog.findChildren<QLabel*>())
                if (l->isVisible() && l->text().contains(words)) return true;
            return false;
        };
        dialog.accept();
        QVERIFY(dialog.isVisible() && told("both the odd and the even"));
        auto* typed = field<QWidget>(dialog, "Even subs alone")->findChild<QLineEdit*>();
        typed->setText(folder.filePath("gone.fits"));
        dialog.accept();
        QVERIFY(dialog.isVisible() && told("gone.fits does not exist"));
        typed->setText(even);
        dialog.accept();
        QCOMPARE(dialog.result(), int(QDialog::Accepted));
        const Run r = dialog.trial().runs[0];
        QCOMPARE(r.short_stack, brief.toStdString());
        QCOMPARE(*r.short_exposure_s, 0.5);
        QVERIFY(!r.short_count);
        QCOMPARE(r.odd_stack, odd.toStdString());
        QCOMPARE(r.even_stack, even.toStdString());
    }

    /// A line of facts loses whole parts, never half a number.
    void aLineOfFactsIsNeverCutInAPart() {
        ElidedLabel label(" | ");
        label.setText("IC 2944 | 20 x 180 s | 84 mm f/5");
        const auto width = [&](const char* text) { return label.fontMetrics().horizontalAdvance(QString::fromUtf8(text)); };
        QCOMPARE(label.shown(width("IC 2944 | 20 x 180 s | 84 mm f/5")), label.text());
        QCOMPARE(label.shown(width("IC 2944 | 20 x 180 s | 84 mm f/5") - 1), QString::fromUtf8("IC 2944 | 20 x 180 s | \u2026"));
        QCOMPARE(label.shown(width("IC 2944 | 20 x 180 s | \u2026") - 1), QString::fromUtf8("IC 2944 | \u2026"));
        QVERIFY(label.shown(width("IC 29")).endsWith(QString::fromUtf8("\u2026")));
    }

    /// A mosaic that no header tells is chosen, and taken back; nothing else changes with it.
    void aMosaicIsTold() {
        RunFactsDialog dialog(oneRun(), "A", nullptr, m_prompts);
        dialog.show();
        auto* box = field<QComboBox>(dialog, "Colour mosaic");
        QCOMPARE(box->currentIndex(), 0);
        box->setCurrentText("GBRG");
        dialog.accept();
        Trial told = dialog.trial();
        QCOMPARE(told.runs[0].bayer, std::string("GBRG"));
        told.runs[0].bayer.clear();
        told.filters[0].guessed = told.runs[0].guessed = dialog.trial().filters[0].guessed;
        QVERIFY(told.runs[0].sub_count == oneRun().runs[0].sub_count && told.filters[0].kind == oneRun().filters[0].kind);
        RunFactsDialog again(dialog.trial(), "A", nullptr, m_prompts);
        QCOMPARE(field<QComboBox>(again, "Colour mosaic")->currentText(), QString("GBRG"));
    }

    /// A stack that has gone since is no reason to refuse another correction; whoever measures tells that it is gone.
    void aStackThatIsGoneBlocksNothing() {
        Trial trial = oneRun();
        trial.runs[0].short_stack = "/nowhere/short-stack-of-a-night-with-a-long-name.fits";
        RunFactsDialog dialog(trial, "A", nullptr, m_prompts);
        dialog.show();
        QCOMPARE(field<QWidget>(dialog, "Short stack")->findChild<QLineEdit*>()->toolTip(), QString::fromStdString(trial.runs[0].short_stack));
        field<QLineEdit>(dialog, "Note")->setText("haze after midnight");
        dialog.accept();
        QCOMPARE(dialog.result(), int(QDialog::Accepted));
        QCOMPARE(dialog.trial().runs[0].note, std::string("haze after midnight"));
        QCOMPARE(dialog.trial().runs[0].short_stack, trial.runs[0].short_stack);
    }

    void runFactsAreTakenOver() {
        RunFactsDialog dialog(oneRun(), "A", nullptr, m_prompts);
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
        QTest::newRow("words") << "Sub exposure (s)"
                               << "three minutes";
        QTest::newRow("negative") << "Sub exposure (s)"
                                  << "-3";
        QTest::newRow("zero subs") << "Number of subs"
                                   << "0";
        QTest::newRow("absurd temperature") << QString::fromUtf8("Sensor (\u00B0C)") << "900";
        QTest::newRow("no time") << "Start (UTC)"
                                 << "last night";
    }
    void wrongNumbersAreRefusedInWords() {
        QFETCH(QString, label);
        QFETCH(QString, value);
        RunFactsDialog dialog(oneRun(), "A", nullptr, m_prompts);
        dialog.show();
        field<QLineEdit>(dialog, label)->setText(value);
        dialog.accept();
        QVERIFY(dialog.isVisible());
        bool told = false;
        for (const QLabel* l : dialog.findChildren<QLabel*>())
            told = told || (l->isVisible() && (l->text().contains("must be a number") || l->text().contains("not a time")));
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

CAELUMEN_WINDOW_TEST(FactsDialogTest)
#include "facts_dialog_test.moc"
