#include "core/compare/propose.h"

#include "core/base/file.h"
#include "core/base/phrase.h"
#include "core/base/text.h"
#include "core/compare/evidence.h"
#include "core/image/frame_file.h"
#include "core/model/filter_kinds.h"

#include <fmt/format.h>

#include <algorithm>
#include <cctype>
#include <cmath>
#include <limits>

namespace caelumen {
namespace fs = std::filesystem;
namespace {

bool hasAny(const std::string& text, std::initializer_list<const char*> words) {
    return std::any_of(words.begin(), words.end(), [&](const char* w) { return text.find(w) != std::string::npos; });
}

/// As a word of its own: "ha" in "run_ha_3nm" but not in "halo".
bool hasWord(const std::string& text, std::initializer_list<const char*> words) {
    for (const char* word : words) {
        const std::string w = word;
        for (auto at = text.find(w); at != std::string::npos; at = text.find(w, at + 1)) {
            const bool before = at == 0 || !std::isalpha(static_cast<unsigned char>(text[at - 1]));
            const auto end = at + w.size();
            const bool after = end >= text.size() || !std::isalpha(static_cast<unsigned char>(text[end]));
            if (before && after) return true;
        }
    }
    return false;
}

std::string nextId(const Trial& trial) {
    for (int n = 0;; ++n) {
        std::string id = n < 26 ? std::string(1, static_cast<char>('A' + n)) : fmt::format("R{}", n + 1);
        if (!trial.run(id)) return id;
    }
}

const PlaneHarvest* planeOf(const RunEvidence& run) {
    for (const PlaneHarvest& p : run.planes)
        if (p.channel == "G" || p.channel == "L") return &p;
    return run.planes.empty() ? nullptr : &run.planes.front();
}

} // namespace

std::string guessKind(const std::string& name) {
    const std::string n = lowered(name);
    if (hasAny(n, {"no filter", "no-filter", "nofilter", "unfiltered", "without filter"}) || hasWord(n, {"none", "open", "empty"})) return filter_kind::none;
    if (hasAny(n, {"uv/ir", "uvir", "uv-ir", "uv_ir", "ir cut", "ir-cut", "ircut"}) || hasWord(n, {"luminance", "lum", "l", "clear"}))
        return filter_kind::uvIrCut;
    if (hasAny(n, {"quad", "tri-band", "triband", "multi", "four-band"})) return filter_kind::multiBand;
    if (hasAny(n, {"dual", "duo", "twin", "sulphur-oxygen", "sulfur-oxygen"}) || hasWord(n, {"hoo", "so", "ho", "soo"})) return filter_kind::dualBand;
    if (hasAny(n, {"light pollution", "light-pollution", "city", "suburb", "broadband", "skyglow"}) || hasWord(n, {"lp", "lps"}))
        return filter_kind::lightPollution;
    if (hasAny(n, {"h-alpha", "halpha", "oiii", "o-iii", "sii", "s-ii", "h-beta", "hbeta"}) || hasWord(n, {"ha", "o3", "s2", "hb"}))
        return filter_kind::singleLine;
    if (hasAny(n, {"infrared", "ir pass", "ir-pass"}) || hasWord(n, {"nir"})) return filter_kind::nearInfrared;
    return filter_kind::other;
}

void guessBaseline(Trial& trial) {
    if (trial.baseline() || trial.runs.empty()) return;
    const auto rank = [&](const Run& r) {
        const Filter* f = trial.filter(r.filter);
        const std::string kind = f ? f->kind : "other";
        return kind == filter_kind::none ? 0 : kind == filter_kind::uvIrCut ? 1 : kind == filter_kind::lightPollution ? 2 : 3;
    };
    std::min_element(trial.runs.begin(), trial.runs.end(), [&](const Run& a, const Run& b) { return rank(a) < rank(b); })->baseline = true;
}

namespace {

/// A half whose whole is among the frames is no run of its own.
bool isHalf(const fs::path& path, const std::vector<fs::path>& frames) {
    return std::any_of(frames.begin(), frames.end(),
                       [&](const fs::path& whole) { return path == besideStack(whole, "odd") || path == besideStack(whole, "even"); });
}

/// The trial's filter that a header means: by its id or name, however they are spelt.
const Filter* filterCalled(const Trial& trial, const std::string& name) {
    if (const Filter* f = trial.filter(name)) return f;
    for (const Filter& f : trial.filters)
        if (slug(f.id) == slug(name) || (!f.name.empty() && slug(f.name) == slug(name))) return &f;
    return nullptr;
}

} // namespace

Status addRuns(Trial& trial, const std::vector<fs::path>& frames, std::vector<std::string>* passedOver) {
    for (const fs::path& path : frames) {
        if (isHalf(path, frames)) continue;
        const auto file = FrameFile::open(path);
        if (!file) {
            if (!passedOver) return file.error();
            passedOver->push_back(file.error().message);
            continue;
        }
        const FrameFacts& facts = file->info().facts;
        const bool packed = endingOf(path) == ".gz" || endingOf(path) == ".fz"; // "m8.fits.gz"
        const std::string stem = nameText(packed ? path.stem().stem() : path.stem());
        const std::string name = facts.filter ? *facts.filter : stem;
        const Filter* known = filterCalled(trial, name);
        const std::string id = known ? known->id : slug(name);
        if (!known) trial.filters.push_back({id, name, guessKind(name), "", std::nullopt, true});
        Run run;
        run.id = nextId(trial);
        run.filter = id;
        run.stack = nameText(fs::absolute(path));
        run.guessed = true;
        trial.runs.push_back(run);
        if (trial.target.name.empty() && facts.target) trial.target.name = *facts.target;
        if (!trial.target.ra_deg && facts.ra_deg && facts.dec_deg) {
            trial.target.ra_deg = facts.ra_deg;
            trial.target.dec_deg = facts.dec_deg;
        }
        if (!trial.site.latitude_deg && facts.site_latitude_deg && facts.site_longitude_deg) {
            trial.site.latitude_deg = facts.site_latitude_deg;
            trial.site.longitude_deg = facts.site_longitude_deg;
        }
    }
    if (trial.plan && !trial.plan->filters.empty() && !trial.baseline()) // as it was planned
        for (Run& r : trial.runs)
            if (r.filter == trial.plan->filters.front()) {
                r.baseline = true;
                break;
            }
    guessBaseline(trial);
    return Done{};
}

Result<Trial> proposeTrial(const std::vector<fs::path>& frames, std::vector<std::string>* passedOver) {
    Trial trial;
    if (Status added = addRuns(trial, frames, passedOver); !added) return added.error();
    trial.title = trial.target.name.empty() ? phrase("New trial") : trial.target.name;
    return trial;
}

namespace {

/// A cell of the sky mesh.
struct Cell {
    int i = 0, j = 0;
};
constexpr double kCloud = 4;    // sigmas of the sky model's residual from which a cell belongs to a cloud
constexpr double kSecond = 0.1; // of the largest cloud's light: what else is worth a region
constexpr double kEven = 0.5;   // of a place's light that all around it has to have: on a rim it has not

double lightOf(const std::vector<Cell>& cloud, const std::vector<double>& light, int across) {
    double sum = 0;
    for (const Cell& c : cloud) sum += light[static_cast<std::size_t>(c.j * across + c.i)];
    return sum;
}

/// Cells that stand out and hang together, those with most light first.
std::vector<std::vector<Cell>> cloudsIn(const std::vector<double>& light, int across, int down) {
    std::vector<std::vector<Cell>> out;
    std::vector<char> seen(light.size());
    const auto index = [across](const Cell& c) { return static_cast<std::size_t>(c.j * across + c.i); };
    for (int j = 0; j < down; ++j)
        for (int i = 0; i < across; ++i) {
            std::vector<Cell> cloud{{i, j}};
            if (seen[index(cloud[0])] || light[index(cloud[0])] <= kCloud) continue;
            seen[index(cloud[0])] = 1;
            for (std::size_t k = 0; k < cloud.size(); ++k)
                for (const auto& [di, dj] : {std::pair{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
                    const Cell next{cloud[k].i + di, cloud[k].j + dj};
                    if (next.i < 0 || next.j < 0 || next.i >= across || next.j >= down || seen[index(next)] || light[index(next)] <= kCloud) continue;
                    seen[index(next)] = 1;
                    cloud.push_back(next);
                }
            out.push_back(std::move(cloud));
        }
    std::stable_sort(out.begin(), out.end(), [&](const auto& a, const auto& b) { return lightOf(a, light, across) > lightOf(b, light, across); });
    return out;
}

/// The brightest place of a cloud that is bright all around; the brightest one where it is nowhere so.
template<class Allowed>
std::optional<Cell> evenPlace(const std::vector<Cell>& cloud, const std::vector<double>& light, int across, int down, int edge, Allowed allowed) {
    const auto at = [&](int i, int j) { return light[static_cast<std::size_t>(j * across + i)]; };
    std::optional<Cell> best, even;
    for (const Cell& c : cloud) {
        if (c.i < edge || c.j < edge || c.i >= across - edge || c.j >= down - edge || !allowed(c)) continue;
        if (!best || at(c.i, c.j) > at(best->i, best->j)) best = c;
        double least = at(c.i, c.j);
        for (int j = -2; j <= 2; ++j)
            for (int i = -2; i <= 2; ++i)
                if (std::abs(i) + std::abs(j) < 4) least = std::min(least, at(std::clamp(c.i + i, 0, across - 1), std::clamp(c.j + j, 0, down - 1)));
        if (least >= kEven * at(c.i, c.j) && (!even || at(c.i, c.j) > at(even->i, even->j))) even = c;
    }
    return even ? even : best;
}

/// Looks for regions on the cells of the baseline's first plane.
class Proposal {
public:
    Proposal(const std::vector<RunEvidence>& runs, const PlaneHarvest& grid)
        : m_runs(runs)
        , m_grid(grid)
        , m_cell(grid.mesh.cell)
        , m_across(grid.mesh.across)
        , m_down(grid.mesh.down) {
        findLight();
    }

    std::vector<Region> regions() {
        placeNebulae();
        placeSkies();
        placeHaloStar();
        return std::move(m_out);
    }

private:
    std::size_t at(int i, int j) const { return static_cast<std::size_t>(j * m_across + i); }
    Point storedCentre(int i, int j) const { return m_grid.view.toBaseline({(i + 0.5) * m_cell - 0.5, (j + 0.5) * m_cell - 0.5}); }
    Point storedCorner(int i, int j, int less) const {
        return m_grid.view.toBaseline({static_cast<double>(i * m_cell - less), static_cast<double>(j * m_cell - less)});
    }

    /// How far each cell stands above the sky model, in sigmas, in the run and channel that shows most; then smoothed over its neighbours.
    void findLight() {
        std::vector<double> bright(m_grid.mesh.cells.size(), 0);
        m_usable.assign(bright.size(), 0);
        for (const RunEvidence& run : m_runs)
            for (const PlaneHarvest& p : run.planes)
                if (const auto surface = run.surfaces.find(p.channel); surface != run.surfaces.end() && surface->second.valid)
                    addLight(p, surface->second, bright);
        m_light.assign(bright.size(), 0);
        for (int j = 1; j + 1 < m_down; ++j)
            for (int i = 1; i + 1 < m_across; ++i)
                for (int b = -1; b <= 1; ++b)
                    for (int a = -1; a <= 1; ++a) m_light[at(i, j)] += bright[at(i + a, j + b)] / 9;
    }
    void addLight(const PlaneHarvest& p, const Surface& surface, std::vector<double>& bright) {
        for (int j = 0; j < m_down; ++j) {
            for (int i = 0; i < m_across; ++i) {
                const Point plane = p.view.toPlane(storedCentre(i, j));
                const int a = static_cast<int>(plane.x / p.mesh.cell), b = static_cast<int>(plane.y / p.mesh.cell);
                if (plane.x < 0 || plane.y < 0 || a >= p.mesh.across || b >= p.mesh.down) continue;
                const MeshCell& c = p.mesh.at(a, b);
                if (c.used == 0) continue;
                m_usable[at(i, j)] = 1;
                const double excess = c.level - surface.at(SurfaceBasis::at(c.centre, p.view.width, p.view.height));
                bright[at(i, j)] = std::max(bright[at(i, j)], excess / std::max(surface.residual, 1e-30));
            }
        }
    }

    void addNebula(Cell p, const char* id, double cells) {
        m_out.push_back({id, RegionRole::Nebula, RegionShape::Circle, {storedCentre(p.i, p.j)}, cells * m_cell * m_grid.view.geometry.pitch, "", "", true});
    }
    void placeNebulae() {
        const int edge = std::max(2, std::min(m_across, m_down) / 12);
        const auto place = [&](const std::vector<Cell>& cloud, auto allowed) { return evenPlace(cloud, m_light, m_across, m_down, edge, allowed); };
        const std::vector<std::vector<Cell>> clouds = cloudsIn(m_light, m_across, m_down);
        if (clouds.empty()) return;
        const auto first = place(clouds.front(), [](const Cell&) { return true; });
        if (!first) return;
        addNebula(*first, "N1", 1.8);
        // The next cloud, else a fainter part of the same, well away.
        const double top = m_light[at(first->i, first->j)];
        const auto away = [&](const Cell& c) { return std::hypot(c.i - first->i, c.j - first->j) > 0.22 * std::min(m_across, m_down); };
        std::optional<Cell> second;
        if (clouds.size() > 1 && lightOf(clouds[1], m_light, m_across) > kSecond * lightOf(clouds[0], m_light, m_across)) second = place(clouds[1], away);
        if (!second) second = place(clouds.front(), [&](const Cell& c) { return away(c) && m_light[at(c.i, c.j)] < 0.6 * top; });
        if (second) addNebula(*second, "N2", 1.5);
    }

    /// What a block of cells shows above the sky; nothing where one of them cannot be used.
    std::optional<double> lightIn(int i, int j, int block) const {
        double sum = 0;
        for (int b = j; b < j + block; ++b)
            for (int a = i; a < i + block; ++a) {
                if (!m_usable[at(a, b)]) return std::nullopt;
                sum += std::max(0.0, m_light[at(a, b)]);
            }
        return sum;
    }
    /// Free sky: in each quarter the block of cells that stands out least.
    void placeSkies() {
        const int block = std::max(2, std::min(m_across, m_down) / 8);
        int skies = 0;
        for (const bool lower : {true, false})
            for (const bool left : {true, false}) {
                const int i0 = left ? 1 : m_across / 2, i1 = left ? m_across / 2 : m_across - 1, j0 = lower ? 1 : m_down / 2,
                          j1 = lower ? m_down / 2 : m_down - 1;
                double least = std::numeric_limits<double>::infinity();
                Cell best{};
                for (int j = j0; j + block <= j1; ++j)
                    for (int i = i0; i + block <= i1; ++i)
                        if (const auto light = lightIn(i, j, block); light && *light < least) least = *light, best = {i, j};
                if (least > 8.0 * block * block) continue;
                m_out.push_back({fmt::format("S{}", ++skies),
                                 RegionRole::Sky,
                                 RegionShape::Rect,
                                 {storedCorner(best.i, best.j, 0), storedCorner(best.i + block, best.j + block, 1)},
                                 0,
                                 "",
                                 "",
                                 true});
            }
    }

    /// The brightest star well inside, by the area it burns out where it is saturated.
    void placeHaloStar() {
        const Star* star = nullptr;
        const double marginX = 0.12 * m_grid.view.width, marginY = 0.12 * m_grid.view.height;
        const auto weight = [](const Star& s) { return s.saturated ? 1e6 + s.area : s.flux * 1e-9; };
        for (const Star& s : m_grid.stars.stars) {
            if (s.x < marginX || s.y < marginY || s.x > m_grid.view.width - marginX || s.y > m_grid.view.height - marginY) continue;
            if (!star || weight(s) > weight(*star)) star = &s;
        }
        if (star) m_out.push_back({"H1", RegionRole::HaloStar, RegionShape::Star, {m_grid.view.toBaseline({star->x, star->y})}, 0, "", "", true});
    }

    const std::vector<RunEvidence>& m_runs;
    const PlaneHarvest& m_grid;
    int m_cell, m_across, m_down;
    std::vector<double> m_light; ///< by cell, in sigmas
    std::vector<char> m_usable;
    std::vector<Region> m_out;
};

} // namespace

std::vector<Region> proposeRegions(const TrialResults& results) {
    if (!results.evidence) return {};
    const auto& runs = *results.evidence;
    const auto base = std::find_if(runs.begin(), runs.end(), [&](const RunEvidence& r) { return r.run == results.baseline; });
    const PlaneHarvest* grid = base == runs.end() ? nullptr : planeOf(*base);
    return grid ? Proposal(runs, *grid).regions() : std::vector<Region>{};
}

} // namespace caelumen
