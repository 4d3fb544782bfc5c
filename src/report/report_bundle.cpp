#include "report/report_bundle.h"

#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/compare/frame_report.h"
#include "core/model/trial_json.h"
#include "report/html_report.h"
#include "report/pdf_report.h"
#include "report/report_frames.h"
#include "report/slides.h"
#include "report/summary_card.h"

#include <fmt/format.h>

#include <archive.h>
#include <archive_entry.h>
#include <memory>

namespace caelumen {

Result<std::string> zipped(const std::vector<std::pair<std::string, std::string>>& files) {
    std::string out;
    const std::unique_ptr<archive, int (*)(archive*)> zip(archive_write_new(), archive_write_free);
    const auto failed = [&] {
        return Error{phrase("The archive could not be made ({}).", archive_error_string(zip.get()) ? archive_error_string(zip.get()) : "no memory")};
    };
    const auto take = [](archive*, void* to, const void* bytes, std::size_t n) -> la_ssize_t {
        static_cast<std::string*>(to)->append(static_cast<const char*>(bytes), n);
        return static_cast<la_ssize_t>(n);
    };
    if (archive_write_set_format_zip(zip.get()) != ARCHIVE_OK || archive_write_open(zip.get(), &out, nullptr, take, nullptr) != ARCHIVE_OK) return failed();
    for (const auto& [name, bytes] : files) {
        const std::unique_ptr<archive_entry, void (*)(archive_entry*)> entry(archive_entry_new(), archive_entry_free);
        archive_entry_set_pathname_utf8(entry.get(), name.c_str());
        archive_entry_set_size(entry.get(), static_cast<la_int64_t>(bytes.size()));
        archive_entry_set_filetype(entry.get(), AE_IFREG);
        archive_entry_set_perm(entry.get(), 0644);
        archive_entry_set_mtime(entry.get(), 315532800, 0); // the first day that an archive knows: it can be remade byte for byte
        if (archive_write_header(zip.get(), entry.get()) != ARCHIVE_OK) return failed();
        if (archive_write_data(zip.get(), bytes.data(), bytes.size()) != static_cast<la_ssize_t>(bytes.size())) return failed();
    }
    if (archive_write_close(zip.get()) != ARCHIVE_OK) return failed();
    return out;
}

Result<std::string> reportBundle(const Trial& trial, const TrialResults& r, const std::filesystem::path& folder, const ReportExtras& extras, const Job& job) {
    std::vector<std::pair<std::string, std::string>> files;
    auto page = htmlReport(trial, r, folder, job, extras);
    if (!page) return page.error();
    auto pdf = pdfReport(*page, trial.title, extras.letter);
    if (!pdf) return pdf.error();
    files.emplace_back("report.html", std::move(*page));
    files.emplace_back("report.pdf", std::move(*pdf));
    files.emplace_back("results.json", jsonText(resultsToJson(r), 1) + "\n");
    files.emplace_back("figures.csv", resultsToCsv(r));
    files.emplace_back("trial.json", jsonText(trialToJson(trial), 1) + "\n");
    if (extras.profile) files.emplace_back("profile.json", jsonText(profileToJson(*extras.profile), 1) + "\n");
    if (extras.profile && extras.verdict) files.emplace_back("verdict.json", jsonText(verdictToJson(*extras.profile, *extras.verdict), 1) + "\n");
    Json frames = Json::array();
    for (const Run& run : trial.runs)
        if (const auto facts = reportFrame(folder / pathOf(run.stack))) frames.push_back(frameReportToJson(*facts));
    files.emplace_back("frames.json", jsonText(frames, 1) + "\n");
    // As drawings: they are of any size, and large letters of a picture would depend on what was drawn before them.
    for (const ReportFigure& f : reportFigures(trial, r, extras))
        if (!f.svg.isEmpty())
            files.emplace_back("figures/" + f.id + ".svg", f.svg.toStdString());
        else
            files.emplace_back("figures/" + f.id + ".png", pngOf(f.image));
    files.emplace_back("card-1200x630.svg", summaryCardSvg(trial, r, extras, kWideCard).toStdString());
    files.emplace_back("card-1080x1350.svg", summaryCardSvg(trial, r, extras, kTallCard).toStdString());
    const ReportFrames pictures = ReportFrames::load(trial, r, folder, job);
    for (std::size_t i = 0; i < trial.runs.size(); ++i) {
        if (job.cancelled()) return Error{kCancelled};
        if (pictures.has(i))
            files.emplace_back(fmt::format("pictures/{}.png", i + 1), pngOf(pictures.whole(i, std::min(3840, pictures.size().width()), false)));
    }
    return zipped(files);
}

} // namespace caelumen
