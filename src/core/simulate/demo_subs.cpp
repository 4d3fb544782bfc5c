#include "core/simulate/demo_subs.h"

#include "core/base/phrase.h"
#include "core/base/statistics.h"
#include "core/simulate/demo.h"
#include "core/sky/ephemeris.h"
#include "core/sky/night_track.h"

#include <cmath>

namespace caelumen {
namespace fs = std::filesystem;

void liven(VirtualRun& run, unsigned long long seed) {
    Random random(seed * 5 + 3);
    const auto n = run.subs.size();
    const double cloud = (0.25 + 0.3 * random.uniform()) * static_cast<double>(n);
    double focus = 1;
    for (std::size_t i = 0; i < n; ++i) {
        VirtualSub& s = run.subs[i];
        const double inCloud = std::exp(-std::pow((static_cast<double>(i) - cloud) / 1.1, 2));
        s.transparency *= 1 - 0.65 * inCloud;
        s.sky *= 1 + 0.5 * inCloud;
        if (random.uniform() < 0.2) {
            const double w = run.scene.width, h = run.scene.height;
            s.trails.push_back({-10, h * random.uniform(), w + 10, h * random.uniform()});
        }
        focus *= 1.012; // the tube cools
        if (i == n * 2 / 3) focus = 1.55;
        s.fwhm_px *= focus;
        if (i == n * 2 / 3) focus = 1; // and is focused again
        if (random.uniform() < 0.05) s.drift_px = 8 + 6 * random.uniform(), s.drift_deg = 360 * random.uniform();
    }
}

Status writeDemoSubs(const fs::path& folder, const Job& job) {
    const SimulatedTrial garden = demoTrials()[1];
    double later = 0;
    int n = 0;
    for (const SceneFilter& f : demoFilters()) {
        if (f.id != "open" && f.id != "duo7") continue;
        if (job.cancelled()) return Error{kCancelled};
        job.report(0.5 * n, phrase("Photographing subs through ") + f.name);
        const std::string start = isoTime(parseTime("2026-06-21T17:20:00Z")->plusSeconds(later));
        VirtualRun run = virtualRun(f, SceneCamera::Mosaic, 960, 640, 14, 57, start, garden.trial.site, garden.trial.target, 180);
        run.scene.id = std::string(1, n == 0 ? 'A' : 'B');
        liven(run, 3 + static_cast<unsigned long long>(n));
        later += 14 * 186 + 420;
        const VirtualFrames frames = n == 0 ? VirtualFrames{} : VirtualFrames{0, 6, 0}; // darks and biases belong to the camera
        if (Status done = writeVirtualRun(run, folder / f.id, frames); !done) return done;
        std::error_code ignored;
        fs::remove(folder / f.id / "subs.json", ignored);
        ++n;
    }
    return Done{};
}

} // namespace caelumen
