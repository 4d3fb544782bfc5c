#include "app/kit/kit_text.h"

#include "app/widgets/copied.h"
#include "app/widgets/core_words.h"
#include "app/widgets/page_ink.h"
#include "core/base/file.h"
#include "core/base/pixel_scale.h"
#include "core/base/text.h"
#include "core/optics/clear_aperture.h"
#include "core/optics/spacing.h"
#include "report/local_number.h"

#include <QObject>
#include <QUrl>

#include <cmath>

namespace caelumen {
namespace {

QString tr(const char* text) {
    return QObject::tr(text);
}

QString lineText(EmissionLine line) {
    switch (line) {
    case EmissionLine::Hbeta:
        return "H\u03B2";
    case EmissionLine::OIII:
        return "O III";
    case EmissionLine::Halpha:
        return "H\u03B1";
    case EmissionLine::NII:
        return "N II";
    case EmissionLine::SII:
        return "S II";
    }
    return {};
}

QString number(double v, int digits) {
    return localNumber(v, 'f', digits);
}
QString percent(double v) {
    return number(100 * v, v < 0.1 ? 1 : 0) + "\u00A0%";
}
QString exact(double v) {
    return number(100 * v, 1) + "\u00A0%";
} // in columns, decimals under each other

/// Rows of cells; the first row is the head.
using Table = QList<QStringList>;

using Tone = TextPage::Tone;

Table bandTable(const KitFacts& f) {
    Table t{{tr("Band"), tr("centre (nm)"), tr("width (nm)"), tr("peak")}};
    for (const PassbandReport::Row& row : f.report.bands) {
        t.push_back({tr("parallel"), number(row.normal.center_nm, 2), number(row.normal.fwhm_nm, 2), exact(row.normal.peak)});
        if (row.effective)
            t.push_back({tr("in the cone"), number(row.effective->center_nm, 2), number(row.effective->fwhm_nm, 2), exact(row.effective->peak)});
        else
            t.push_back({tr("in the cone"), tr("no band left"), "", ""});
    }
    return t;
}

Table lineTable(const KitFacts& f) {
    Table t{{tr("Line"), tr("parallel"), tr("in the cone"), tr("keeps 90 % to")}};
    for (const PassbandReport::LineRow& row : f.report.lines)
        if (!row.covered)
            t.push_back({lineText(row.line), tr("the curve ends before it"), "", ""});
        else
            t.push_back({lineText(row.line), exact(row.normal), exact(row.effective),
                         !row.fastest.fRatio   ? (row.normal < 0.05 ? QString("\u2013") : tr("slower than f/20"))
                         : row.fastest.slowest ? tr("f/%1 to f/%2").arg(number(*row.fastest.slowest, 1), number(*row.fastest.fRatio, 1))
                                               : "f/" + number(*row.fastest.fRatio, 1)});
    return t;
}

Table matrixTable(const KitFacts& f) {
    Table t{{tr("Line into channel")}};
    for (const SystemChannel& c : f.system) t[0] << QString::fromStdString(c.name);
    for (const EmissionLine line : kLines) {
        QStringList row{lineText(line)};
        for (const SystemChannel& c : f.system) row << exact(c.lines.at(line));
        t.push_back(row);
    }
    QStringList infrared{tr("of starlight, infrared")};
    for (const SystemChannel& c : f.system) infrared << exact(c.nearInfrared);
    t.push_back(infrared);
    return t;
}

Table skyTable(const KitFacts& f) {
    Table t{{tr("Sky light that stays")}};
    for (const SystemChannel& c : f.system) t[0] << QString::fromStdString(c.name);
    for (const auto& [name, spectrum] : skySources()) {
        QStringList row{QString::fromStdString(name)};
        for (const SystemChannel& c : f.system) row << exact(c.sky.at(name));
        t.push_back(row);
    }
    return t;
}

const SystemChannel* baselineOf(const KitFacts& f, const std::string& channel) {
    for (const SystemChannel& c : f.baselineSystem)
        if (c.name == channel) return &c;
    return nullptr;
}

QString measuredText(const std::map<std::string, KitFacts::Measured>& all, const std::string& channel) {
    const auto m = all.find(channel);
    if (m == all.end()) return "\u2013";
    const int digits = m->second.sigma < 0.001 ? 2 : 1; // an error is never shown as nothing
    return QString("%1 \u00B1 %2\u00A0%").arg(number(100 * m->second.value, digits), number(100 * std::max(m->second.sigma, 1e-4), digits));
}

/// What starlight keeps against the baseline, as the curves foretell it for a sunlike star and as the trial's stars say.
Table starTable(const KitFacts& f) {
    Table t{{tr("Starlight that stays"), tr("foretold"), tr("measured")}};
    for (const SystemChannel& c : f.system) {
        const SystemChannel* open = baselineOf(f, c.name);
        const QString foretold = open && !(open->starlight > 0) ? QString("\u2013") : exact(c.starlight / (open ? open->starlight : 1.0));
        t.push_back({QString::fromStdString(c.name), foretold, measuredText(f.starThroughput, c.name)});
    }
    return t;
}

/// The same for a nebula: what either line alone would keep, and what each region of the trial has kept.
Table nebulaTable(const KitFacts& f) {
    Table t;
    if (f.nebulaThroughput.empty()) return t;
    t.push_back({tr("Nebula light that stays"), lineText(EmissionLine::Halpha), lineText(EmissionLine::OIII), tr("measured")});
    for (const SystemChannel& c : f.system) {
        const SystemChannel* open = baselineOf(f, c.name);
        QStringList foretold;
        for (const EmissionLine line : {EmissionLine::Halpha, EmissionLine::OIII}) {
            // Without a curve of the baseline's filter: against the camera alone.
            double bare = 0;
            if (f.camera)
                for (const CameraChannel& channel : f.camera->channels)
                    if (channel.name == c.name) bare = channel.efficiency.at(lineWavelengths(line).front());
            const double base = open ? open->lines.at(line) : bare;
            foretold << (base > 0.02 ? exact(c.lines.at(line) / base) : QString("\u2013")); // a channel that hardly sees a line tells nothing of it
        }
        for (const auto& [region, channels] : f.nebulaThroughput)
            t.push_back(QStringList{tr("%1 in %2").arg(QString::fromStdString(c.name), QString::fromStdString(region))} << foretold
                                                                                                                        << measuredText(channels, c.name));
    }
    return t;
}

/// The sky of the place if it were of one light alone, electrons per pixel and second.
Table rateTable(const KitFacts& f) {
    Table t;
    if (!f.skyBrightness || !f.rig || !f.rig->aperture_mm || !f.rig->focal_length_mm || !f.rig->pixel_um) return t;
    const double scale = arcsecPerPixel(*f.rig->pixel_um, *f.rig->focal_length_mm);
    t.push_back({tr("e\u207B/s/px at %1 mag/arcsec\u00B2").arg(number(*f.skyBrightness, 1))});
    for (const SystemChannel& c : f.system) t[0] << QString::fromStdString(c.name);
    for (const auto& [name, spectrum] : skySources()) {
        QStringList row{QString::fromStdString(name)};
        for (const SystemChannel& c : f.system)
            row << number(skyElectrons(c.rate.at(name), *f.skyBrightness, *f.rig->aperture_mm, f.rig->obstruction.value_or(0), scale), 3);
        t.push_back(row);
    }
    return t;
}

/// The filter's own glass, else what the rig takes for all.
std::optional<double> thickness(const KitFacts& f) {
    if (f.filter && f.filter->thickness_mm) return f.filter->thickness_mm;
    return f.rig ? f.rig->filter_thickness_mm : std::nullopt;
}

Table ghostTable(const KitFacts& f) {
    Table t{{tr("Halo diameter from"), tr("mm"), tr("px"), tr("arcsec")}};
    if (!f.rig || !f.rig->pixel_um) return t;
    const auto add = [&](const QString& name, double gap) {
        const double px = 2 * ghostRadius_px(gap, *f.rig->pixel_um, f.report.cone.fRatio);
        t.push_back({name, number(gap, 2), number(px, 0),
                     f.rig->focal_length_mm ? number(px * arcsecPerPixel(*f.rig->pixel_um, *f.rig->focal_length_mm), 0) : QString("\u2013")});
    };
    for (const auto& [name, gap] : f.rig->gaps_mm) add(QString::fromStdString(name), gap);
    if (const auto glass = thickness(f)) add(tr("inside the filter"), glassAsAir_mm(*glass));
    return t;
}

Table colourTable(const KitFacts& f) {
    Table t{{tr("Star colour expected"), tr("slope")}};
    for (const ColourPrediction& c : f.colours) t.push_back({QString::fromStdString(c.index), c.slope ? number(*c.slope, 2) : tr("a channel stays dark")});
    return t;
}

/// What the filter's rim cuts off, in the corner of the sensor and on its axis.
void tellAperture(TextPage& page, const KitFacts& f) {
    if (!f.filter || !f.filter->clear_aperture_mm || !f.rig || !f.rig->pixel_um) return;
    QStringList from;
    FilterPlace place{0, f.report.cone.fRatio, f.report.cone.obstruction, f.rig->focal_length_mm.value_or(0)};
    for (const auto& [name, mm] : f.rig->gaps_mm) {
        const QString gap = QString::fromStdString(name);
        if (gap.contains("corrector", Qt::CaseInsensitive) || gap.contains("reducer", Qt::CaseInsensitive) || gap.contains("flattener", Qt::CaseInsensitive) ||
            gap.contains("lens", Qt::CaseInsensitive))
            continue; // in front of it
        place.distance_mm += mm, from << gap;
    }
    QSize sensor = f.frame;
    if (sensor.isEmpty() && f.camera) sensor = QSize(f.camera->width_px, f.camera->height_px);
    if (from.isEmpty() || sensor.isEmpty())
        return page.line(tr("Whether its clear %1 mm suffice is not known: %2.")
                             .arg(number(*f.filter->clear_aperture_mm, 1), from.isEmpty()
                                                                               ? tr("note the gaps between filter and sensor under \"Halos on the sensor\"")
                                                                               : tr("the size of the sensor is not known")));
    const double corner = std::hypot(sensor.width(), sensor.height()) / 2 * *f.rig->pixel_um / 1000, needed = neededAperture_mm(place, corner),
                 clear = *f.filter->clear_aperture_mm;
    const QString where = tr("%1 mm in front of the sensor (%2)").arg(number(place.distance_mm, 1), from.join(", "));
    if (clear >= needed)
        return page.line(tr("Its clear %1 mm pass all light of a sensor of %2 mm across, %3: %4 mm would do.")
                             .arg(number(clear, 1), number(2 * corner, 1), where, number(needed, 1)));
    const double axis = passedByAperture(place, 0, clear), rim = passedByAperture(place, corner, clear);
    return page.line(tr("Its clear %1 mm darken the corners to %2 (%3 on the axis), %4: a sensor of %5 mm across needs %6 mm.")
                         .arg(number(clear, 1), percent(rim), percent(axis), where, number(2 * corner, 1), number(needed, 1)),
                     Tone::Warn);
}

/// A band is claimed around the line.
bool isSoldFor(const KitFacts& f, EmissionLine line) {
    if (!f.filter) return false;
    for (const BandClaim& c : f.filter->claims)
        for (const double nm : lineWavelengths(line))
            if (std::abs(c.center_nm - nm) <= 0.5 * c.fwhm_nm.value_or(4) + 1) return true;
    return false;
}

/// The lines for which the filter is made, and how they fare in this cone.
QString headline(const KitFacts& f) {
    QStringList kept, lost;
    for (const PassbandReport::LineRow& row : f.report.lines) {
        const double most = std::max({row.normal, row.effective, row.fastest.most}); // made for fast optics, it passes its lines only in their cone
        if ((most < 0.3 && !isSoldFor(f, row.line)) || row.line == EmissionLine::NII) continue;
        const double part = most < 0.3 ? 0 : row.effective / most;
        (part >= 0.9 ? kept : lost) << QString("%1 %2").arg(lineText(row.line), percent(row.effective));
    }
    const QString ratio = number(f.report.cone.fRatio, 1);
    if (kept.isEmpty() && lost.isEmpty())
        return f.report.bands.empty() ? tr("The curve shows no band.") : tr("None of the nebula's lines passes: a filter for broadband light.");
    if (lost.isEmpty()) return tr("At f/%1 it keeps its lines: %2.").arg(ratio, kept.join(", "));
    return kept.isEmpty() ? tr("At f/%1 it loses more than a tenth of its lines: %2 is left.").arg(ratio, lost.join(", "))
                          : tr("At f/%1 it keeps %2, but loses more than a tenth of %3.").arg(ratio, kept.join(", "), lost.join(", "));
}

std::vector<Table> tables(const KitFacts& f) {
    return {bandTable(f), lineTable(f), matrixTable(f), skyTable(f), rateTable(f), starTable(f), nebulaTable(f), colourTable(f), ghostTable(f)};
}

} // namespace

namespace {

/// What the Kit says of one filter.
class KitPage {
public:
    explicit KitPage(const KitFacts& facts)
        : f(facts) {}

    QString html() {
        if (!f.filter) {
            page.line(tr("No trial is open. Drop stacked frames on the window, or open a campaign."), Tone::Dim);
            return page.html();
        }
        page.title(QString::fromStdString(f.filter->name));
        source();
        claims();
        warnings();
        leaks();
        allTables();
        scaleAndCamera();
        glass();
        tellAperture(page, f);
        costs();
        notes();
        return page.html();
    }

private:
    void source() {
        const bool known = f.source != CurveSource::Nothing;
        if (known) page.add(QString("<p style='font-size:14px; margin-top:0'>%1</p>").arg(TextPage::safe(headline(f))));
        if (const QString text = curveSourceText(f.source); !text.isEmpty()) page.line(text, f.source == CurveSource::NoFilter ? Tone::Dim : Tone::Warn);
        if (!known)
            page.line(tr("Import a curve, or drop a table of wavelength and transmission here; or write down what its maker claims, with widths."), Tone::Dim);
    }

    void claims() {
        for (const ClaimVerdict& v : f.claims) page.line(QString::fromStdString(v.text), v.holds ? Tone::Plain : Tone::Bad);
        if (f.density) page.line(QString::fromStdString(f.density->text), !f.density->known ? Tone::Warn : f.density->holds ? Tone::Plain : Tone::Bad);
        if (!f.claims.empty())
            page.paragraph(TextPage::safe(tr("Allowed: centre %1 nm, width %2, peak %3.")
                                              .arg(number(f.tolerance.center_nm, 1), percent(f.tolerance.fwhm), percent(f.tolerance.peak))) +
                               " " + page.link("tolerance", tr("Change \u2026")),
                           Tone::Dim);
        if (!f.filter->certificate.empty()) page.line(tr("Certificate: %1.").arg(QString::fromStdString(f.filter->certificate)), Tone::Dim);
        if (f.filter->claims.empty() && f.source != CurveSource::NoFilter) page.line(tr("No claim of the maker is noted for it."), Tone::Dim);
        if (f.source != CurveSource::Measured)
            for (const BandClaim& c : f.filter->claims)
                page.line(tr("Claimed at %1 nm%2%3.")
                              .arg(c.center_nm)
                              .arg(c.fwhm_nm ? tr(", %1 nm wide").arg(*c.fwhm_nm) : QString(), c.peak ? tr(", %1").arg(percent(*c.peak)) : QString()));
    }

    void warnings() {
        if (!f.otherwise.empty()) {
            QStringList words;
            for (const std::string& w : f.otherwise) words << coreWord(w);
            page.paragraph(TextPage::safe(tr("Another trial of this campaign says otherwise: %1.").arg(words.join(", "))) + " " +
                               page.link("shelf", tr("Take that")),
                           Tone::Warn);
        }
        page.lines(f.contradictions, Tone::Bad);
        page.lines(f.warnings, Tone::Warn);
    }

    void leaks() {
        const Leaks& leaks = f.report.leaks;
        if (leaks.meanDensity && leaks.worst_nm && f.source != CurveSource::Claims)
            page.line(tr("Between its bands it stops to a density of %1 in the mean, %2 at worst (%3 nm).")
                          .arg(number(*leaks.meanDensity, 1), number(*leaks.worstDensity, 1), number(*leaks.worst_nm, 0)));
        if (f.source == CurveSource::Measured || f.source == CurveSource::Makers)
            page.line(leaks.nearInfrared ? tr("Of the near infrared (700 to 1000 nm) it passes %1.").arg(percent(*leaks.nearInfrared))
                                         : tr("The curve does not say what it passes beyond 700 nm."));
    }

    void allTables() {
        for (const Table& table : tables(f)) {
            if (table.size() < 2) continue;
            const bool compared = !f.baseline.isEmpty() && table[0][0] == tr("Starlight that stays");
            page.heading(compared ? tr("Against %1").arg(f.baseline) : QString());
            page.table(table);
        }
    }

    void scaleAndCamera() {
        if (f.rig && f.rig->pixel_um && f.rig->focal_length_mm) {
            const double scale = arcsecPerPixel(*f.rig->pixel_um, *f.rig->focal_length_mm);
            QString said = tr("Scale %1\u2033 a pixel").arg(number(scale, 2));
            if (f.rig->reducer) said += tr(", with a reducer of %1\u00D7").arg(number(*f.rig->reducer, 2));
            if (!f.frame.isEmpty())
                said += tr(", field %1\u00B0 \u00D7 %2\u00B0").arg(number(f.frame.width() * scale / 3600, 2), number(f.frame.height() * scale / 3600, 2));
            page.line(said + ".");
        }
        if (!f.camera) return;
        const Camera& c = *f.camera;
        QStringList said;
        if (!c.window.empty()) said << tr("window %1").arg(QString::fromStdString(c.window));
        if (c.pixel_um) said << tr("pixels of %1 \u00B5m").arg(number(*c.pixel_um, 2));
        if (c.full_well_e) said << tr("full well %1 e\u207B").arg(number(*c.full_well_e, 0));
        for (const GainStep& g : c.gains)
            said << tr("at gain %1: %2 e\u207B/ADU").arg(number(g.setting, 0), number(g.e_per_adu, 2)) +
                        (g.read_noise_e ? tr(" and %1 e\u207B read noise").arg(number(*g.read_noise_e, 1)) : QString());
        if (!said.isEmpty()) page.line(tr("Camera: %1.").arg(said.join("; ")), Tone::Dim);
    }

    void glass() {
        const auto glass = thickness(f);
        if (!glass) return;
        QString said = tr("Its %1 mm of glass move the focus back by %2 mm: add that to the spacing.").arg(number(*glass, 2), number(focusShift_mm(*glass), 2));
        if (f.rig && f.rig->back_focus_mm)
            said += tr(" The %1 mm behind the corrector become %2 mm.")
                        .arg(number(*f.rig->back_focus_mm, 2), number(*f.rig->back_focus_mm + focusShift_mm(*glass), 2));
        page.line(said);
    }

    void costs() {
        if (!f.filter->price) return;
        const Price& p = *f.filter->price;
        const QString currency = QString::fromStdString(p.currency);
        QString said =
            tr("%1 %2 and %3 for shipping: %4 %2 landed").arg(number(p.amount, 0), currency, number(p.shipping, 0), number(p.amount + p.shipping, 0));
        if (f.filter->set_size > 1)
            said +=
                tr(" for a set of %1, %2 %3 for each filter").arg(f.filter->set_size).arg(number((p.amount + p.shipping) / f.filter->set_size, 0), currency);
        page.line(said + ".");
    }

    void notes() {
        const Filter& filter = *f.filter;
        if (filter.made_for_f_ratio) page.line(tr("Made for f/%1: its claims are held against its bands in that cone.").arg(*filter.made_for_f_ratio));
        if (!filter.mount.empty()) page.line(tr("Mount: %1.").arg(QString::fromStdString(filter.mount)), Tone::Dim);
        if (!filter.notes.empty()) page.line(QString::fromStdString(filter.notes), Tone::Dim);
        if (!theme().isRed()) // white glare would spoil adapted eyes
            for (const std::string& photo : filter.photos)
                if (isFileToRead(pathOf(photo)))
                    page.add(QString("<p><img src='%1' width='300'></p>").arg(TextPage::safe(QUrl::fromLocalFile(QString::fromStdString(photo)).toString())));
        if (!filter.obtained.empty()) page.line(tr("How it was obtained: %1.").arg(QString::fromStdString(filter.obtained)), Tone::Dim);
    }

    const KitFacts& f;
    TextPage page = screenPage();
};

} // namespace

QString kitPage(const KitFacts& f) {
    return KitPage(f).html();
}

QString kitTable(const KitFacts& f) {
    QString out;
    for (const Table& table : tables(f)) {
        if (table.size() < 2) continue;
        for (QStringList row : table) { // the first column names lamps, lines and gaps
            row.first() = copiedName(row.first().toStdString());
            out += copiedRow(row);
        }
        out += '\n';
    }
    return out;
}

} // namespace caelumen
