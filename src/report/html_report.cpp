#include "report/html_report.h"

#include "core/base/phrase.h"
#include "core/compare/evidence.h"
#include "core/compare/scores.h"
#include "core/compare/sentences.h"
#include "core/grid/frontier.h"
#include "core/grid/grid_out.h"
#include "core/model/quantity.h"
#include "report/filter_style.h"
#include "report/grid_picture.h"
#include "report/page_template.h"
#include "report/report_frames.h"
#include "report/svg_plots.h"
#include "report/text_page.h"
#include "report/verdict_picture.h"

#include <QBuffer>
#include <QByteArray>
#include <QLocale>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>

namespace caelumen {
namespace {

constexpr const char* kStyle = R"(
body{font:14px/1.5 Inter,system-ui,sans-serif;color:#222;max-width:1080px;margin:2em auto;padding:0 1.2em}
h1{font-size:1.7em;margin:.2em 0}h2{font-size:1.2em;margin:1.8em 0 .5em;border-bottom:1px solid #ccc}
table{border-collapse:collapse;width:100%}td,th{padding:.25em .6em;text-align:left;border-bottom:1px solid #e4e4e4;vertical-align:top}
td.n{text-align:right;font-variant-numeric:tabular-nums;white-space:nowrap}
.pictures{display:grid;grid-template-columns:1fr 1fr;gap:14px}.crops{display:flex;flex-wrap:wrap;gap:8px}.crops figure{width:200px}figure{margin:0}figure img{width:100%;display:block}figcaption{font-size:.9em}
.voids{color:#a3221a;font-weight:600}.weakens{color:#8a5a00;font-weight:600}.note{color:#555}
.answer{font-size:1.08em;margin:.3em 0}.small{font-size:.9em;color:#555}details{margin:.6em 0}
@media print{body{margin:0}.pictures figure,.crops,tr,svg{break-inside:avoid}h2,h3{break-after:avoid}}
)";

std::string word(std::string_view english) {
    return wordOf(std::string(english).c_str());
}

std::string heading(const std::string& text) {
    return "<h2>" + escaped(text) + "</h2>";
}

std::string small(const std::string& text) {
    return "<p class=\"small\">" + escaped(text) + "</p>";
}

std::string nameOf(const Trial& trial, const Run& run) {
    const Filter* f = trial.filter(run.filter);
    return f ? f->name : run.filter;
}

std::string embedded(const QImage& image, const std::string& alt) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    image.save(&buffer, "PNG");
    return fmt::format("<img alt=\"{}\" src=\"data:image/png;base64,{}\">", escaped(alt), bytes.toBase64().toStdString());
}

std::string pictures(const Trial& trial, const TrialResults& results, const ReportFrames& frames) {
    if (!frames.any()) return {};
    std::string html = heading(phrase("Pictures")) + "<div class=\"pictures\">";
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        if (!frames.has(i)) continue;
        const Run& run = trial.runs[i];
        const RunConditions* c = results.conditionsOf(run.id);
        html += fmt::format("<figure>{}<figcaption><b>{} {}</b>{}<br>{}</figcaption></figure>",
                            embedded(frames.whole(i, 720, true), phrase("{} through {}", trial.target.name, nameOf(trial, run))), escaped(run.id),
                            escaped(nameOf(trial, run)), run.id == results.baseline ? " (" + escaped(phrase("baseline")) + ")" : "",
                            c ? escaped(conditionsSentence(trial, *c)) : "");
    }
    return html + "</div>" + small(phrase("One stretch for all pictures, aligned on the baseline by their stars. N nebula, S sky, H halo star."));
}

/// Pixel by pixel, side by side: around each halo star, and where the nebula is faintest.
std::string crops(const Trial& trial, const TrialResults& results, const ReportFrames& frames) {
    if (!frames.any()) return {};
    constexpr int kSide = 200;
    std::string html;
    const Region* faint = nullptr;
    double least = 1e300;
    for (const Region& r : trial.regions)
        if (r.role == RegionRole::Nebula)
            for (const Measurement& m : results.measurements)
                if (m.run == results.baseline && m.quantity == q::nebulaSignal && m.region == r.id && m.value < least) least = m.value, faint = &r;
    for (const Region& r : trial.regions) {
        if (r.role != RegionRole::HaloStar && &r != faint) continue;
        const Region::Bounds b = r.bounds();
        const Point middle{0.5 * (b.min.x + b.max.x), 0.5 * (b.min.y + b.max.y)};
        html += fmt::format("<h3>{}: {}</h3><div class=\"crops\">", escaped(r.id),
                            escaped(r.role == RegionRole::HaloStar ? phrase("the halo star") : phrase("the faintest nebula region")));
        for (std::size_t i = 0; i < trial.runs.size(); ++i)
            if (frames.has(i))
                html += fmt::format("<figure>{}<figcaption>{} {}</figcaption></figure>",
                                    embedded(frames.crop(i, middle, kSide), phrase("{} through {}, pixel by pixel", r.id, nameOf(trial, trial.runs[i]))),
                                    escaped(trial.runs[i].id), escaped(nameOf(trial, trial.runs[i])));
        html += "</div>";
    }
    return html.empty() ? html : heading(phrase("Pixel by pixel")) + html + small(phrase("A pixel of the frame is a pixel here; the same stretch as above."));
}

/// Which of a score's runs cannot be told apart, in sentences.
std::string ties(const TrialResults& r, const Score& score, const std::string& region) {
    const Ranking* ranking = rankingOf(r, score.headline, region);
    std::string html;
    if (ranking)
        for (const RankedPair& p : ranking->pairs) {
            if (p.separated) continue;
            html += small(p.moreSubs ? phrase("Runs {} and {} cannot be told apart at 95 %; {}.", p.better, p.worse, moreSubsText(*p.moreSubs))
                                     : phrase("Runs {} and {} cannot be told apart at 95 %.", p.better, p.worse));
        }
    return html;
}

std::string scoreSections(const Trial& trial, const TrialResults& r) {
    std::string html;
    for (const Score& score : scores()) {
        if (score.id == "nebula") {
            for (const Region& region : trial.regions) {
                if (region.role != RegionRole::Nebula) continue;
                html += "<h3>" + escaped(phrase("{} {} {}: time ratio", word(score.label), region.id, region.name)) + "</h3>" +
                        small(word(quantity(score.headline)->about)) + svgScore(trial, r, score, region.id) + ties(r, score, region.id);
            }
            continue;
        }
        const Quantity* q = quantity(score.headline);
        const std::string unit = q->unit == "1" ? "" : fmt::format(" ({})", q->unit == "mag/arcsec2" ? "mag/arcsec\u00B2" : q->unit);
        html += fmt::format("<h3>{}: {}{}</h3>", escaped(word(score.label)), escaped(word(q->label)), unit) + small(word(q->about)) +
                svgScore(trial, r, score, "") + ties(r, score, "");
        if (score.id == "halo")
            for (const Region& region : trial.regions)
                if (region.role == RegionRole::HaloStar)
                    html += svgHaloExcess(trial, r, region.id) +
                            small(phrase("Light around {} beyond the baseline's, the difference in focus taken off; dashed: edges of discs.", region.id));
        if (score.id == "colour") html += svgColours(trial, r, "B-R");
    }
    return html;
}

QString shown(std::string_view text) {
    return QString::fromUtf8(text.data(), static_cast<qsizetype>(text.size()));
}

// Columns of words, of numbers, and of what is HTML already.
TextPage::Column words(const std::string& name) {
    return {shown(name)};
}
TextPage::Column number(const std::string& name) {
    return {shown(name), true};
}
TextPage::Column markup(const std::string& name) {
    return {shown(name), false, true};
}

/// A table as the report's style sheet knows it.
std::string tableOf(const QList<TextPage::Column>& columns, const QList<QStringList>& rows) {
    TextPage page;
    page.table(columns, rows);
    return page.html().toStdString();
}

std::string allFigures(const TrialResults& r) {
    QList<QStringList> rows;
    const auto label = [](const std::string& id) { return shown(quantity(id) ? word(quantity(id)->label) : id); };
    for (const Measurement& m : r.measurements) {
        const Quantity* q = quantity(m.quantity);
        std::string flags = fmt::format("{}", fmt::join(m.flags, ", "));
        if (!m.note.empty()) flags += (flags.empty() ? "" : "; ") + m.note;
        rows << QStringList{shown(m.run), shown(m.channel), label(m.quantity), shown(m.region), shown(formatValue(m)), q ? shown(q->unit) : QString(),
                            shown(flags)};
    }
    for (const Absence& a : r.absent)
        rows << QStringList{
            shown(a.run), shown(a.channel), label(a.quantity), shown(a.region), QString("\u2013"), QString(), shown(phrase("not measured: {}", a.reason))};
    return "<details><summary>" + escaped(phrase("All figures")) + "</summary>" +
           tableOf({words(phrase("Run")), words(phrase("Channel")), words(phrase("Figure")), words(phrase("Region")), number(phrase("Value")),
                    words(phrase("Unit")), words(phrase("Flags"))},
                   rows) +
           "</details>";
}

/// A person's text: an empty line is a new paragraph.
std::string paragraphs(const std::string& text) {
    std::string html = "<p>" + escaped(text) + "</p>";
    for (std::size_t at = 0; (at = html.find("\n\n", at)) != std::string::npos;) html.replace(at, 2, "</p><p>");
    return html;
}

/// Where the filters came from: a reader wants to know what was paid and what was given.
std::string disclosure(const Trial& trial, const ReportExtras& extras) {
    QList<QStringList> rows;
    for (const Filter& f : trial.filters) {
        if (f.obtained.empty() && !f.price) continue;
        const std::string price = f.price ? numbers("{:.2f} {}", (f.price->amount + f.price->shipping) / std::max(1, f.set_size), f.price->currency) : "\u2013";
        rows << QStringList{shown(f.name), shown(f.obtained.empty() ? phrase("not said") : f.obtained), shown(price)};
    }
    std::string html;
    if (!rows.isEmpty()) html = tableOf({words(phrase("Filter")), words(phrase("Obtained")), number(phrase("Price each, with shipping"))}, rows);
    if (!extras.disclosure.empty()) html += paragraphs(extras.disclosure);
    if (!extras.tester.empty()) html += "<p>" + escaped(phrase("Tested by {}.", extras.tester)) + "</p>";
    return html.empty() ? html : heading(phrase("Disclosure: where the filters came from")) + html;
}

/// For whom, how sure, and what it costs.
std::string verdictSection(const Trial& trial, const ReportExtras& extras) {
    if (!extras.verdict || !extras.profile) return {};
    const Verdict& v = *extras.verdict;
    std::string html = heading(extras.profile->name.empty() ? phrase("Verdict") : phrase("Verdict: {}", extras.profile->name));
    for (const std::string& s : v.sentences) html += "<p class=\"answer\">" + escaped(s) + "</p>";
    html += svgRanking(trial, v, *extras.profile) +
            small(phrase("Scores in steps from the baseline that somebody would notice, with one standard deviation; right: in "
                         "how many of 20 000 draws from the errors it comes first."));
    QList<QStringList> merits;
    for (const Merit m : kMerits)
        merits << QStringList{shown(word(meritLabel(m))), shown(numbers("{:g}", extras.profile->weights[static_cast<std::size_t>(m)])),
                              shown(word(meritNotice(m)))};
    html += tableOf({words(phrase("What counts")), number(phrase("Weight")), words(phrase("One step is"))}, merits) + svgPayoff(trial, v);
    if (!v.notTested.empty()) {
        html += "<p>" + escaped(phrase("Not tested:")) + "</p><ul>";
        for (const std::string& s : v.notTested) html += "<li>" + escaped(s) + "</li>";
        html += "</ul>";
    }
    return html;
}

std::string palettes(const ReportExtras& extras) {
    if (extras.palettes.empty()) return {};
    std::string html = heading(phrase("In colour")) + "<div class=\"pictures\">";
    for (const LabelledPicture& p : extras.palettes)
        html += fmt::format("<figure>{}<figcaption><b>{}</b><br>{}</figcaption></figure>",
                            embedded(p.image.width() > 720 ? p.image.scaledToWidth(720, Qt::SmoothTransformation) : p.image, p.name.toStdString()),
                            escaped(p.name.toStdString()), escaped(p.lines.join(" \u00B7 ").toStdString()));
    return html + "</div>" + small(phrase("One recipe and one look for all, for the eye alone: nothing was measured on these pictures."));
}

/// What these filters would do under the other classes of sky, without the moon and under this trial's.
std::string otherSkies(const Trial& trial, const TrialResults& r, const std::filesystem::path& folder) {
    auto input = gridInput({{trial.title, trial, folder, std::make_shared<const TrialResults>(r)}}, {});
    if (!input || input->filters.size() < 2) return {};
    std::vector<std::optional<GridMoon>> moons{std::nullopt};
    double altitude = 60;
    for (const GridRun& run : input->runs)
        if (run.baseline && run.sky) {
            altitude = std::round(run.sky->altitude_deg);
            if (run.sky->moon && run.sky->moon->illuminated > 0.05) moons.push_back(run.sky->moon);
        }
    const GridModel model(std::move(*input));
    std::string html;
    for (const auto& moon : moons) {
        GridPicture picture;
        GridQuestion q;
        q.kind = model.input().kind;
        for (int b = 1; b <= 9; ++b) q.skies.push_back(skyOfClass(b, moon, altitude));
        picture.columns = q.skies;
        picture.cells = gridCells(model, q);
        if (std::all_of(picture.cells.begin(), picture.cells.end(), [](const GridCell& c) { return c.origin == CellOrigin::Empty; })) continue;
        for (const GridFilter& f : model.input().filters)
            picture.rows.push_back({QString::fromStdString(f.id), QString::fromStdString(f.name), filterStyleOf(trial, f.id, {})});
        const std::string kind = word(targetKindLabel(q.kind));
        picture.title = shown(moon ? phrase("Time ratio: {}, moon {:.0f} % lit, {:.0f}\u00b0 high", kind, 100 * moon->illuminated, moon->altitude_deg)
                                   : phrase("Time ratio: {}, no moon", kind));
        html += "<p><img style=\"max-width:100%\" alt=\"" + escaped(picture.title.toStdString()) + "\" src=\"data:image/svg+xml;base64," +
                gridSvg(picture).toBase64().toStdString() + "\"></p>";
    }
    if (html.empty()) return {};
    for (const Frontier& f : frontiers(model, std::nullopt, altitude))
        if (f.kind == model.input().kind || f.kind == TargetKind::Galaxy) html += "<p>" + escaped(f.text) + "</p>";
    for (const SiteFit& s : model.sites())
        for (const Brighter& b : s.brighter) html += "<p>" + escaped(b.text) + "</p>";
    return heading(phrase("Under other skies")) + html +
           small(phrase("Filled: measured here. Hatched: a measurement carried to that sky by the model. Dashed: from the filter's curve alone. Errors are "
                        "whole ones, the model's included."));
}

std::string method() {
    return heading(phrase("Method")) + "<p>" +
           escaped(
               phrase("All figures are in electrons per second, measured on the stacks as they are: regions and stars are mapped into each frame, no "
                      "frame is resampled. Stars are masked alike in all runs. The nebula stands "
                      "above a sky surface (plane and radial term) fitted to star- and nebula-free cells and set to the level of the sky regions. Noise is the "
                      "scatter "
                      "of empty 10 arcsec boxes. The time ratio is the squared ratio of signal to noise per hour. Halos "
                      "are what a star's profile has beyond the baseline's, per unit of star light. Star colours are compared by a Theil-Sen line freed of the "
                      "flattening by noise. Whiskers are one standard deviation; an open marker is a limit at three.")) +
           "</p>";
}

std::string conditions(const Trial& trial, const TrialResults& r) {
    QList<QStringList> rows;
    const bool south = trial.site.latitude_deg.value_or(1) < 0;
    for (const Run& run : trial.runs) {
        const RunConditions* c = r.conditionsOf(run.id);
        const std::string moon = c && c->sky ? svgMoon(c->sky->moonIlluminated, c->sky->moonWaxing, south) + " " : "";
        rows << QStringList{
            TextPage::safe(run.id), TextPage::safe(nameOf(trial, run)) + (run.id == r.baseline ? " (" + TextPage::safe(phrase("baseline")) + ")" : QString()),
            c ? TextPage::safe(c->start) : QString(),
            c ? shown(moon + escaped(conditionsSentence(trial, *c)) + "<br><span class=\"small\">" + escaped(factsSentence(c->facts)) + "</span>") : QString()};
    }
    return heading(phrase("Conditions")) +
           tableOf({markup(phrase("Run")), markup(phrase("Filter")), markup(phrase("Start (UTC)")), markup(phrase("Conditions"))}, rows);
}

std::string gradeWord(Grade grade) {
    return grade == Grade::Voids ? phrase("voids") : grade == Grade::Weakens ? phrase("weakens") : phrase("note");
}

std::string fairness(const TrialResults& r) {
    const std::string html = heading(phrase("What else differed"));
    if (r.fairness.empty()) return html + "<p>" + escaped(phrase("Nothing that is known of: only the filter differed.")) + "</p>";
    QList<QStringList> rows;
    for (const Unfairness& f : r.fairness)
        rows << QStringList{TextPage::safe(f.run), shown(fmt::format("<span class=\"{}\">{}</span>", gradeName(f.grade), escaped(gradeWord(f.grade)))),
                            TextPage::safe(f.subject),
                            TextPage::safe(f.text) +
                                (f.normalised ? " <span class=\"small\">(" + TextPage::safe(phrase("allowed for")) + ")</span>" : QString())};
    return html + tableOf({markup(phrase("Run")), markup(phrase("Weight")), markup(phrase("Subject")), markup(phrase("What differed"))}, rows);
}

} // namespace

Result<std::string> htmlReport(const Trial& trial, const TrialResults& r, const std::filesystem::path& folder, const Job& job, const ReportExtras& extras) {
    std::map<std::string, std::string> at;
    at["title"] = escaped(trial.title);
    at["language"] = QLocale().bcp47Name().toStdString();
    at["style"] = kStyle;
    for (const std::string& part : {trial.target.name, trial.site.name, trial.rig.name})
        if (!part.empty()) at["where"] += (at["where"].empty() ? "" : " \u00B7 ") + escaped(part);
    for (const Run& run : trial.runs)
        if (run.id != r.baseline) at["headline"] += fmt::format("<p class=\"answer\">{}</p>", escaped(answerSentence(trial, r, run.id)));
    at["conditions"] = conditions(trial, r);
    at["fairness"] = fairness(r);
    at["disclosure"] = disclosure(trial, extras);
    if (!extras.remarks.empty()) at["remarks"] = heading(phrase("Remarks")) + paragraphs(extras.remarks);
    const ReportFrames frames = ReportFrames::load(trial, r, folder, job);
    if (job.cancelled()) return Error{kCancelled};
    at["pictures"] = pictures(trial, r, frames);
    at["crops"] = crops(trial, r, frames);
    at["scores"] = heading(phrase("Scores")) + scoreSections(trial, r);
    at["skies"] = otherSkies(trial, r, folder);
    at["verdict"] = verdictSection(trial, extras);
    at["palettes"] = palettes(extras);
    at["figures"] = heading(phrase("Appendix: all figures")) + allFigures(r);
    at["method"] = method();
    at["cautions"] = small(phrase("None of these filters is a solar filter: never point a telescope or a finder with them at the sun."));
    at["version"] = escaped(phrase("{}, figures as defined in its docs/measurements.md of that version.", programName()));
    job.report(1, phrase("Done"));
    return filledPage(extras.page.empty() ? defaultPage() : extras.page, at);
}

} // namespace caelumen
