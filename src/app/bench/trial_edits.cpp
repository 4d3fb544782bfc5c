#include "app/bench/trial_edits.h"

#include <algorithm>
#include <cmath>

namespace caelumen {

Trial withRegion(Trial trial, Region& region) {
    const char letter = region.role == RegionRole::Nebula ? 'N' : region.role == RegionRole::Sky ? 'S' : 'H';
    const auto taken = [&](const std::string& id) {
        return std::any_of(trial.regions.begin(), trial.regions.end(), [&](const Region& r) { return r.id == id; });
    };
    int n = 1;
    while (taken(letter + std::to_string(n))) ++n;
    region.id = letter + std::to_string(n);
    trial.regions.push_back(region);
    return trial;
}

Trial withChanged(Trial trial, const Region& region) {
    for (Region& r : trial.regions)
        if (r.id == region.id) r = region;
    return trial;
}

Trial withoutRegion(Trial trial, const std::string& id) {
    std::erase_if(trial.regions, [&](const Region& r) { return r.id == id; });
    return trial;
}

namespace {

/// A region laid elsewhere; a rectangle that is turned becomes an outline.
Region mapped(Region r, const Alignment& a) {
    const bool turned = r.shape == RegionShape::Rect && std::abs(std::remainder(a.rotation_deg, 90.0)) > 0.5;
    if (turned) {
        const Region::Bounds b = r.bounds();
        r.shape = RegionShape::Polygon;
        r.points = {b.min, {b.max.x, b.min.y}, b.max, {b.min.x, b.max.y}};
    }
    for (Point& p : r.points) p = a.map(p);
    r.radius *= a.scale;
    return r;
}

} // namespace

Trial withBaseline(Trial trial, const std::string& run, const Alignment& alignment) {
    for (Run& r : trial.runs) r.baseline = r.id == run;
    for (Region& r : trial.regions) r = mapped(r, alignment);
    return trial;
}

Trial withoutRun(Trial trial, const std::string& run) {
    std::erase_if(trial.runs, [&](const Run& r) { return r.id == run; });
    std::erase_if(trial.filters,
                  [&](const Filter& f) { return std::none_of(trial.runs.begin(), trial.runs.end(), [&](const Run& r) { return r.filter == f.id; }); });
    return trial;
}

Trial withRegionsOf(Trial trial, const Trial& other, const Alignment& map, int width, int height) {
    for (const Region& r : other.regions) {
        Region laid = mapped(r, map);
        const Region::Bounds b = laid.bounds();
        if (b.min.x < 0 || b.min.y < 0 || b.max.x > width - 1 || b.max.y > height - 1) continue;
        laid.guessed = false;
        trial = withRegion(std::move(trial), laid);
    }
    return trial;
}

} // namespace caelumen
