#include "core/prepare/stack.h"

#include "core/base/file.h"
#include "core/base/json.h"
#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/base/text.h"
#include "core/image/fits_bands.h"
#include "core/prepare/band_shelf.h"
#include "core/prepare/row_block.h"
#include "core/prepare/stack_header.h"

#include <fmt/format.h>
#include <tbb/parallel_for.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <future>
#include <mutex>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

/// What the bands of a stack depend on.
std::string stampOf(const SubsRecipe& recipe, const SubMeasurer& measurer, const StackPlan& plan) {
    SubsRecipe plain = recipe;
    plain.lights.clear();
    plain.cull = {};
    std::string out = jsonText(subsRecipeToJson(plain));
    for (const std::string& line : measurer.calibration().history) out += line;
    for (const StackInput& in : plan.inputs) {
        const Alignment& a = *in.sub->alignment;
        std::error_code failed;
        const auto written = fs::last_write_time(in.sub->figures->file, failed).time_since_epoch().count();
        out += fmt::format("|{} {} {:.9g} {:.9g} {:.9g}", in.sub->figures->file, written, a.dx, a.dy, a.rotation_deg);
    }
    return out;
}

/// The stack, and what is wanted beside it.
enum class Product { Stack, Odd, Even, Coverage, Rejected, Noise };

/// What all bands together come to, for one channel.
struct Tally {
    double rejected = 0, values = 0, covered = 0, drizzled = 0;
    std::vector<double> differences; ///< of the odd and the even half, some of them
};

/// One channel of one band, as it is written.
struct BandPixels {
    std::vector<float> stack, odd, even, coverage, rejected, noise;

    void reset(std::size_t size, bool maps) {
        stack.resize(size), odd.assign(size, kNoData), even.assign(size, kNoData);
        coverage.resize(maps ? size : 0), rejected.resize(maps ? size : 0), noise.assign(maps ? size : 0, kNoData);
    }
    const std::vector<float>& of(Product product) const {
        switch (product) {
        case Product::Odd:
            return odd;
        case Product::Even:
            return even;
        case Product::Coverage:
            return coverage;
        case Product::Rejected:
            return rejected;
        case Product::Noise:
            return noise;
        case Product::Stack:
            break;
        }
        return stack;
    }
};

/// Stacks band by band: rows of all subs are brought to the stack's grid, combined, written and forgotten.
class Stacker {
public:
    Stacker(const SubsRecipe& recipe, const SubMeasurer& measurer, const StackPlan& plan, const fs::path& out, const Job& job, double worthKeeping)
        : m_recipe(recipe)
        , m_plan(plan)
        , m_job(job)
        , m_subs(plan.inputs.size())
        , m_row(static_cast<std::size_t>(plan.width))
        , m_least(static_cast<std::uint16_t>(std::max<std::size_t>(1, (m_subs + 1) / 2)))
        , m_bandRows(rowsOfBand())
        , m_tallies(plan.channels.size())
        , m_shelf(workBeside(out, "bands"), stampOf(recipe, measurer, plan))
        , m_keeps(static_cast<double>(m_subs * plan.channels.size()) * plan.width * plan.height >= worthKeeping) {
        m_products.emplace_back(Product::Stack, out);
        if (recipe.halves && m_subs >= 2)
            m_products.emplace_back(Product::Odd, besideStack(out, "odd")), m_products.emplace_back(Product::Even, besideStack(out, "even"));
        if (recipe.maps)
            m_products.emplace_back(Product::Coverage, besideStack(out, "coverage")), m_products.emplace_back(Product::Rejected, besideStack(out, "rejected")),
                m_products.emplace_back(Product::Noise, besideStack(out, "noise"));
    }

    Result<StackSummary> run(const std::vector<HeaderCard>& cards) {
        m_summary.width = m_plan.width, m_summary.height = m_plan.height, m_summary.planes = static_cast<int>(m_plan.channels.size()), m_summary.subs = m_subs;
        for (const StackInput& in : m_plan.inputs) m_summary.total_s += in.sub->figures->exposure_s.value_or(0);
        if (const Status done = openAndWork(0, cards); !done) return done.error();
        m_shelf.remove();
        for (const auto& [product, path] : m_products) m_summary.files.push_back(path);
        return m_summary;
    }

private:
    int rowsOfBand() const {
        const double rowBytes = 4.0 * static_cast<double>(m_subs * m_plan.channels.size()) * m_plan.width;
        return static_cast<int>(std::clamp(160.0 * (1 << 20) / rowBytes, 4.0, 64.0));
    }

    /// Nested, so that no name becomes final before all are whole.
    Status openAndWork(std::size_t p, const std::vector<HeaderCard>& cards) {
        if (p == m_products.size()) return work();
        return writeThrough(m_products[p].second, [&](const fs::path& part) -> Status {
            auto writer =
                FitsBandWriter::create(part, m_products[p].second, m_plan.width, m_plan.height, m_summary.planes, cardsFor(m_products[p].first, cards));
            if (!writer) return writer.error();
            m_writers.push_back(std::move(*writer));
            return openAndWork(p + 1, cards);
        });
    }

    std::vector<HeaderCard> cardsFor(Product product, std::vector<HeaderCard> cards) const {
        if (product != Product::Odd && product != Product::Even) return cards;
        const auto half = static_cast<long long>(product == Product::Odd ? (m_subs + 1) / 2 : m_subs / 2);
        for (HeaderCard& card : cards) {
            if (card.keyword == "NCOMBINE") card.value = half;
            if (card.keyword == "TOTALEXP") card.value = m_summary.total_s * static_cast<double>(half) / static_cast<double>(m_subs);
        }
        return cards;
    }

    Status work() {
        RowBlock block(m_plan, m_bandRows);
        std::vector<float> record;
        for (int y = 0; y < m_plan.height; y += m_bandRows) {
            if (m_job.cancelled()) return Error{kCancelled};
            const int rows = std::min(m_bandRows, m_plan.height - y);
            if (m_shelf.take(record)) { // finished before
                if (const Status written = writeAgain(record, y, rows); !written) return written;
                continue;
            }
            m_job.report(static_cast<double>(y) / m_plan.height, "Stacking");
            if (const Status held = block.hold(y, rows); !held) return held;
            record.clear();
            for (std::size_t c = 0; c < m_plan.channels.size(); ++c)
                if (const Status written = combineBand(block, c, y, rows, record); !written) return written;
            if (m_keeps) m_shelf.put(record);
        }
        if (const Status written = lastWritten(); !written) return written;
        return finish();
    }

    /// A record holds, by channel, the pixels of each product and what the band came to.
    Status writeAgain(const std::vector<float>& record, int y, int rows) {
        const std::size_t pixels = m_row * static_cast<std::size_t>(rows);
        const float* at = record.data();
        for (std::size_t c = 0; c < m_tallies.size(); ++c) {
            for (FitsBandWriter& writer : m_writers) {
                if (const Status written = writer.write(static_cast<int>(c), y, rows, at); !written) return written;
                at += pixels;
            }
            Tally& tally = m_tallies[c];
            tally.rejected += static_cast<double>(at[0]), tally.values += static_cast<double>(at[1]), tally.covered += static_cast<double>(at[2]),
                tally.drizzled += static_cast<double>(at[3]);
            const auto many = static_cast<std::ptrdiff_t>(at[4]);
            tally.differences.insert(tally.differences.end(), at + 5, at + 5 + many);
            at += 5 + many;
        }
        return Done{};
    }

    Status combineBand(const RowBlock& block, std::size_t c, int y, int rows, std::vector<float>& record) {
        m_turn = 1 - m_turn; // the other one is still being written
        m_pixels[m_turn].reset(m_row * static_cast<std::size_t>(rows), m_recipe.maps);
        Tally band;
        std::mutex guard;
        tbb::parallel_for(0, rows, [&](int r) {
            const Tally row = combineRow(block, c, y + r, static_cast<std::size_t>(r) * m_row);
            const std::scoped_lock lock(guard);
            band.rejected += row.rejected, band.values += row.values, band.covered += row.covered, band.drizzled += row.drizzled;
            band.differences.insert(band.differences.end(), row.differences.begin(), row.differences.end());
        });
        if (const Status written = lastWritten(); !written) return written;
        m_writing = std::async(std::launch::async, [this, &pixels = m_pixels[m_turn], c, y, rows]() -> Status {
            for (std::size_t p = 0; p < m_products.size(); ++p)
                if (const Status written = m_writers[p].write(static_cast<int>(c), y, rows, pixels.of(m_products[p].first).data()); !written) return written;
            return Done{};
        });
        if (m_keeps)
            for (const auto& product : m_products) {
                const std::vector<float>& from = m_pixels[m_turn].of(product.first);
                record.insert(record.end(), from.begin(), from.end());
            }
        if (m_keeps) {
            for (const double v : {band.rejected, band.values, band.covered, band.drizzled, static_cast<double>(band.differences.size())})
                record.push_back(static_cast<float>(v));
            for (const double d : band.differences) record.push_back(static_cast<float>(d));
        }
        Tally& tally = m_tallies[c];
        tally.rejected += band.rejected, tally.values += band.values, tally.covered += band.covered, tally.drizzled += band.drizzled;
        tally.differences.insert(tally.differences.end(), band.differences.begin(), band.differences.end());
        return Done{};
    }

    /// Waits for what is being written.
    Status lastWritten() { return m_writing.valid() ? m_writing.get() : Status(Done{}); }

    /// Row y, which is written from `at` on.
    Tally combineRow(const RowBlock& block, std::size_t c, int y, std::size_t at) {
        const StackChannel& channel = m_plan.channels[c];
        const std::ptrdiff_t above = y > 0 ? -static_cast<std::ptrdiff_t>(m_row) : 0, below = y + 1 < m_plan.height ? static_cast<std::ptrdiff_t>(m_row) : 0;
        std::vector<const float*> rows;
        for (std::size_t i = 0; i < m_subs; ++i) rows.push_back(block.row(c, i, y));
        const bool sampled = m_subs >= 2 && y % 16 == 0, halved = m_subs >= 2 && (m_recipe.halves || sampled), drizzled = channel.dropReach > 0;
        std::vector<std::uint16_t> there(m_row), low(m_row), high(m_row);
        BandPixels& pixels = m_pixels[m_turn];
        float *const result = pixels.stack.data() + at, *const first = pixels.odd.data() + at, *const second = pixels.even.data() + at;
        RowHalves halves;
        if (halved) halves = {first, second, drizzled ? block.dropped(c, y) : std::span<const std::uint8_t>()};
        combineRows(rows, m_plan.width, channel.model, m_recipe.combine, channel.weights, result, {there, low, high}, {channel.spread, above, below}, halves);
        const std::span<const std::uint16_t> covered = drizzled ? block.covered(c, y) : there;
        Tally tally;
        if (drizzled) tally.drizzled = static_cast<double>(std::ranges::count(block.dropped(c, y), std::uint8_t{1}));
        std::uint64_t values = 0, rejected = 0, enough = 0;
        for (std::size_t x = 0; x < m_row; ++x) {
            values += there[x], rejected += static_cast<std::uint32_t>(low[x]) + high[x], enough += covered[x] >= m_least;
            if (covered[x] < m_least) result[x] = kNoData;
        }
        tally.values = static_cast<double>(values), tally.rejected = static_cast<double>(rejected), tally.covered = static_cast<double>(enough);
        if (m_recipe.maps) {
            for (std::size_t x = 0; x < m_row; ++x) pixels.coverage[at + x] = there[x], pixels.rejected[at + x] = static_cast<float>(low[x] + high[x]);
            spreadOfMean(rows, channel.model, result, pixels.noise.data() + at);
        }
        if (halved) {
            for (std::size_t x = 0; x < m_row; ++x)
                if (covered[x] < m_least) first[x] = second[x] = kNoData;
            if (sampled)
                for (std::size_t x = 0; x < m_row; x += 3)
                    if (const float d = first[x] - second[x]; d == d) tally.differences.push_back(d);
        }
        return tally;
    }

    /// The mean's error, from the values that are not rejected.
    void spreadOfMean(const std::vector<const float*>& subs, const NoiseModel& model, const float* result, float* out) const {
        for (std::size_t x = 0; x < m_row; ++x) {
            const double middle = static_cast<double>(result[x]), limit = 4 * std::max(model.sky, model.part * (middle - model.level));
            double squares = 0;
            int used = 0;
            for (const float* p : subs)
                if (const double d = static_cast<double>(p[x]) - middle; std::abs(d) < limit) squares += d * d, ++used;
            if (used > 1) out[x] = static_cast<float>(std::sqrt(squares / (used - 1) / used));
        }
    }

    Status finish() {
        std::vector<HeaderCard> last;
        for (std::size_t c = 0; c < m_tallies.size(); ++c) {
            const std::string& name = m_plan.channels[c].name;
            Tally& tally = m_tallies[c];
            m_summary.rejectedPart[name] = tally.values > 0 ? tally.rejected / tally.values : 0;
            // The halves' difference has the noise of both: with n subs half and half, twice that of the stack.
            const auto n = static_cast<double>(m_subs), first = static_cast<double>((m_subs + 1) / 2), second = static_cast<double>(m_subs / 2);
            if (tally.differences.size() > 100) m_summary.noise[name] = robustSigma(tally.differences) / std::sqrt((1 / first + 1 / second) * n);
            if (m_plan.channels[c].dropReach > 0)
                last.push_back(
                    {"HISTORY",
                     fmt::format("{}: {:.1f} % of the pixels drizzled", name, 100 * tally.drizzled / (static_cast<double>(m_plan.width) * m_plan.height)), ""});
            last.push_back({"HISTORY", fmt::format("{}: {:.3f} % of the values rejected", name, 100 * m_summary.rejectedPart[name]), ""});
        }
        m_summary.coveredPart = m_tallies.front().covered / (static_cast<double>(m_plan.width) * m_plan.height);
        for (std::size_t p = 0; p < m_products.size(); ++p)
            if (const Status finished = m_writers[p].finish(m_products[p].first == Product::Stack ? last : std::vector<HeaderCard>{}); !finished)
                return finished;
        m_job.report(1, "Stacking");
        return Done{};
    }

    const SubsRecipe& m_recipe;
    const StackPlan& m_plan;
    const Job& m_job;
    std::size_t m_subs, m_row;
    std::uint16_t m_least; ///< values that make a pixel
    int m_bandRows;
    std::vector<Tally> m_tallies;
    BandShelf m_shelf;
    bool m_keeps;
    std::vector<std::pair<Product, fs::path>> m_products; ///< each through a temporary name of its own
    std::vector<FitsBandWriter> m_writers;
    std::array<BandPixels, 2> m_pixels; ///< one is filled while the other is written
    std::size_t m_turn = 0;
    StackSummary m_summary;
    std::future<Status> m_writing; ///< last, so that it is waited for before anything else goes
};

} // namespace

std::vector<fs::path> stackOutputs(const SubsRecipe& recipe, const fs::path& out) {
    std::vector<fs::path> all{out, workBeside(out, "work"), workBeside(out, "bands")};
    if (recipe.halves) all.insert(all.end(), {besideStack(out, "odd"), besideStack(out, "even")});
    if (recipe.maps) all.insert(all.end(), {besideStack(out, "coverage"), besideStack(out, "rejected"), besideStack(out, "noise")});
    return all;
}

Result<StackSummary> stackSubs(const SubsRecipe& recipe, const SubMeasurer& measurer, const JudgedRun& run, const fs::path& out, const Job& job,
                               double worthKeeping) {
    const auto plan = planStack(recipe, measurer, run);
    if (!plan) return plan.error();
    return Stacker(recipe, measurer, *plan, out, job, worthKeeping).run(stackHeader(recipe, measurer, run, *plan));
}

} // namespace caelumen
