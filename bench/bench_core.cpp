#include "core/grid/grid.h"
#include "core/image/fits_writer.h"
#include "core/measure/harvest.h"
#include "core/optics/passband_report.h"
#include "core/optics/starter.h"
#include "core/optics/system_response.h"
#include "core/palette/mixture.h"
#include "core/picture/view_render.h"
#include "core/plan/forecast.h"
#include "support/scenes.h"
#include "support/virtual_campaign.h"

#include <benchmark/benchmark.h>
#include <limits>

using namespace caelumen;

namespace {

/// A frame of about `megapixels` with a realistic number of stars.
const Plane& frame(long megapixels) {
    static std::map<long, Plane> made;
    Plane& p = made[megapixels];
    if (p.empty()) {
        scenes::PlaneScene s;
        s.width = static_cast<int>(std::sqrt(1.5e6 * static_cast<double>(megapixels)));
        s.height = s.width * 2 / 3;
        s.stars = static_cast<int>(600 * std::min(megapixels, 8L));
        p = scenes::make(s).plane;
    }
    return p;
}

void mesh(benchmark::State& state) {
    const Plane& p = frame(state.range(0));
    for (auto _ : state) benchmark::DoNotOptimize(buildMesh(p, {}, defaultCell(p)));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(p.size()));
}

void stars(benchmark::State& state) {
    const Plane& p = frame(state.range(0));
    for (auto _ : state) benchmark::DoNotOptimize(findStars(p, std::numeric_limits<double>::infinity()));
    state.SetItemsProcessed(state.iterations() * static_cast<std::int64_t>(p.size()));
}

void surface(benchmark::State& state) {
    const Plane& p = frame(state.range(0));
    const BackgroundMesh m = buildMesh(p, {}, defaultCell(p));
    for (auto _ : state) benchmark::DoNotOptimize(fitSurface(m, {}, p.width(), p.height()));
}

/// A mixture of two lines with what other times take, as small as a screen shows it.
Mixture mixture(int width, int height) {
    scenes::PlaneScene s;
    s.width = width, s.height = height, s.stars = 50;
    Mixture m;
    m.width = width, m.height = height;
    for (const char* id : {"H", "O"}) {
        MixLayer l;
        l.id = id, l.total_s = 3600;
        l.rate = scenes::make(s).plane, l.apart = Plane(l.rate), l.foretold = Plane(l.rate);
        m.layers.push_back(std::move(l));
        ++s.seed;
    }
    takeLevels(m);
    return m;
}

/// What one step of a slider of the Palette computes for six filters of 26 megapixels side by side in a window of 1280 x 800, drawing apart: their previews are
/// 417 x 278 pixels there; and for one alone.
void paletteStep(benchmark::State& state) {
    const bool alone = state.range(0) == 1;
    const Mixture m = alone ? mixture(1250, 835) : mixture(417, 278), small = mixture(417, 278);
    Recipe r;
    std::vector<std::uint32_t> pixels(static_cast<std::size_t>(m.width) * static_cast<std::size_t>(m.height));
    double part = 0;
    std::optional<LookTable> look;
    for (auto _ : state) {
        part = part < 1 ? part + 0.05 : 0;
        r.map = {{{{"H", 1}}, {{"O", 1 - part}, {"H", part}}, {{"O", 1}}}};
        r.hours = 0.5 + 2 * part;
        for (int i = 0; i < (alone ? 1 : 6); ++i) {
            if (i == 0) look.emplace(lookOf(mix(small, r), 0.5, 0.5)); // one for all
            mixOnScreen(m, r, *look, pixels.data(), static_cast<std::size_t>(m.width));
            benchmark::DoNotOptimize(pixels.data());
        }
    }
}

/// What one step of the Kit's slider computes, drawing apart: it runs on the interface thread.
void kitStep(benchmark::State& state) {
    const StarterFilter& filter = starterFilters()[static_cast<std::size_t>(state.range(0))];
    const Camera& camera = typicalCameras().front();
    double ratio = 2;
    for (auto _ : state) {
        const LightCone cone{ratio = ratio < 8 ? ratio + 0.1 : 2, 0.3, 1.8, 0};
        const PassbandReport report = reportPassband(filter.curve, cone, {0.1, false});
        benchmark::DoNotOptimize(systemResponse(report.effective, camera));
        benchmark::DoNotOptimize(predictColours(report.effective, camera));
        benchmark::DoNotOptimize(checkClaims(filter.claims, bandsOf(filter.curve)));
    }
}

/// What one step of dragging a block computes, drawing apart: balance, forecast and troubles of three filters. It runs on the interface thread.
void nightDrag(benchmark::State& state) {
    Trial trial;
    trial.site.bortle = 5;
    const Site& site = trial.site;
    const NightTrack track = *NightTrack::of({-32.4, 21.6, 0}, "2026-06-15", 250.1, -48.7);
    Plan plan;
    std::vector<PlanFilter> filters;
    for (const StarterFilter& f : starterFilters()) {
        if (filters.size() == 3) break;
        plan.filters.push_back(f.id);
        filters.push_back({f.id, f.name, systemResponse(f.curve, typicalCameras().front())});
    }
    plan = scheduleBlocks(plan, site, track).plan;
    const PlanRig rig = planRig({}, typicalCameras().front());
    for (auto _ : state) {
        plan.blocks[1].start_s += 1;
        benchmark::DoNotOptimize(balanceOf(plan, site, track));
        benchmark::DoNotOptimize(forecast(plan, filters, rig, site, deepSkyCatalogue().front(), track));
        benchmark::DoNotOptimize(blockProblems(plan, trial, track));
    }
}

/// Another date or target: the night is sampled anew.
void nightTrack(benchmark::State& state) {
    for (auto _ : state) benchmark::DoNotOptimize(NightTrack::of({-32.4, 21.6, 0}, "2026-06-15", 250.1, -48.7));
}

/// One turned picture of three channels made for a 1280 x 800 view: what a step of panning, zooming or flipping to a new place costs, away from the window.
void viewPicture(benchmark::State& state) {
    const scenes::Folder folder;
    const Plane& p = frame(26);
    if (!writeFits(folder / "p.fits", {&p, &p, &p}, {{"EXPTIME", 1.0, ""}}).ok()) return;
    Trial t;
    Run r;
    r.id = "A";
    r.stack = "p.fits";
    t.runs = {r};
    const auto pyramid = PicturePyramid::load(*openRun(t, r, folder.path()));
    const ViewRun run{{&*pyramid}, {3, 4, 0.4, 1, false, 0, 0}};
    std::vector<std::uint32_t> out(1280 * 800);
    for (auto _ : state)
        renderView(run, {1280, 800, 500, 400, static_cast<double>(state.range(0)) / 10}, ownSkyStretch(run.seen), PictureTint::Natural, out.data(), 1280);
}

/// A step of a slider in the Sky grid: twelve filters under nine skies, three places fitted.
void gridStep(benchmark::State& state) {
    testing::VirtualCampaign campaign(1);
    GridInput input = campaign.input();
    for (unsigned long long seed = 2; input.sites.size() < 3; ++seed) {
        const testing::VirtualCampaign other(seed);
        for (GridRun r : other.input().runs) r.site += input.sites.size(), input.runs.push_back(r);
        input.sites.insert(input.sites.end(), other.input().sites.begin(), other.input().sites.end());
    }
    while (input.filters.size() < 12) {
        input.filters.push_back(input.filters[1 + input.filters.size() % 5]);
        input.filters.back().id += std::to_string(input.filters.size());
    }
    GridModel model(std::move(input));
    GridQuestion q;
    for (int b = 1; b <= 9; ++b) q.skies.push_back(skyOfClass(b, GridMoon{}));
    double led = 0;
    for (auto _ : state) {
        led = led > 0.9 ? 0 : led + 0.1;
        model.setLamps(LampMix{0.8 * (1 - led), 0.2 * (1 - led), 0, 0.5 * led, 0.5 * led});
        benchmark::DoNotOptimize(gridCells(model, q));
    }
}

/// The f-ratio is turned: curves in another cone, responses and places anew.
void gridRefit(benchmark::State& state) {
    const testing::VirtualCampaign campaign(3);
    const auto filters = demoFilters();
    for (auto _ : state) {
        GridInput input = campaign.input();
        for (std::size_t i = 0; i < 2 * input.filters.size(); ++i) // as for twelve
            input.filters[i % input.filters.size()].channels =
                gridChannels(ConeShift({4, 0, 1.8, 0}).apply(filters[i % filters.size()].curve, 0.5), input.camera);
        benchmark::DoNotOptimize(GridModel(std::move(input)));
    }
}

BENCHMARK(paletteStep)->Arg(6)->Arg(1)->Unit(benchmark::kMillisecond);
BENCHMARK(gridStep)->Unit(benchmark::kMillisecond);
BENCHMARK(gridRefit)->Unit(benchmark::kMillisecond);
BENCHMARK(mesh)->Arg(1)->Arg(6)->Arg(26)->Unit(benchmark::kMillisecond);
BENCHMARK(stars)->Arg(1)->Arg(6)->Arg(26)->Unit(benchmark::kMillisecond);
BENCHMARK(surface)->Arg(6)->Unit(benchmark::kMillisecond);
BENCHMARK(kitStep)->Arg(0)->Arg(3)->Unit(benchmark::kMillisecond);
BENCHMARK(nightDrag)->Unit(benchmark::kMillisecond);
BENCHMARK(nightTrack)->Unit(benchmark::kMillisecond);
BENCHMARK(viewPicture)->Arg(3)->Arg(10)->Arg(48)->Unit(benchmark::kMillisecond);

} // namespace

BENCHMARK_MAIN();
