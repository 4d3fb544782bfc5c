#include "core/image/sky_coordinates.h"

#include <array>
#include <cmath>
#include <mutex>
#include <regex>
#include <string_view>
#include <vector>
#include <wcslib/wcs.h>
#include <wcslib/wcsfix.h>
#include <wcslib/wcshdr.h>

namespace caelumen {
namespace {

constexpr std::size_t kCard = 80;

/// wcslib keeps notes in what it reads from, also while it only computes.
std::mutex& guard() {
    static std::mutex one;
    return one;
}

/// Only lines that speak of coordinates are handed on, and none of other axes: a header may hold anything.
std::string coordinateCards(const std::string& header) {
    static const std::regex wanted(
        "(WCSAXES|C(TYPE|RVAL|RPIX|DELT|UNIT|ROTA)[12]|(PC|CD)[12]_[12]|P[VS][12]_[0-9]+|LONPOLE|LATPOLE|RADESYS|RADECSYS|EQUINOX|EPOCH|"
        "[AB]P?_(ORDER|DMAX|[0-9]_[0-9])|(CPDIS|CQDIS|DP|DQ|CPERR|CQERR)[12]?) *");
    std::string out;
    for (std::size_t at = 0; at + kCard <= header.size(); at += kCard) {
        const std::string card = header.substr(at, kCard);
        if (std::regex_match(card.substr(0, 8), wanted)) out += card.substr(0, 7) == "WCSAXES" ? "WCSAXES =                    2" + std::string(50, ' ') : card;
    }
    return out;
}

/// Whether the lines say where: wcslib takes zero for what it cannot read.
bool saysWhere(const std::string& cards) {
    static const std::regex number("= *[-+.0-9].*");
    for (const char* wanted : {"CRVAL1  ", "CRVAL2  ", "CRPIX1  ", "CRPIX2  "}) {
        bool found = false;
        for (std::size_t at = 0; at + kCard <= cards.size() && !found; at += kCard)
            found = cards.compare(at, 8, wanted) == 0 && std::regex_match(cards.substr(at + 8, kCard - 8), number);
        if (!found) return false;
    }
    return cards.find("CTYPE") != std::string::npos;
}

std::shared_ptr<wcsprm> parsed(std::string cards) {
    int rejected = 0, found = 0;
    wcsprm* all = nullptr;
    if (wcspih(cards.data(), static_cast<int>(cards.size() / kCard), WCSHDR_all, 0, &rejected, &found, &all) != 0 || found < 1 || !all) return nullptr;
    // The first description, by itself: others ("A" to "Z") say the same in other words.
    std::shared_ptr<wcsprm> one(new wcsprm, [](wcsprm* w) {
        wcsfree(w);
        delete w;
    });
    one->flag = -1;
    const bool taken = all[0].naxis == 2 && wcssub(1, all, nullptr, nullptr, one.get()) == 0;
    wcsvfree(&found, &all);
    if (!taken) return nullptr;
    std::array<int, NWCSFIX> fixed;
    wcsfix(0, nullptr, one.get(), fixed.data()); // old spellings of units and projections
    if (wcsset(one.get()) != 0 || one->lng < 0 || one->lat < 0) return nullptr;
    const std::string_view first(one->lngtyp, 4), second(one->lattyp, 4);
    return first.substr(0, 2) == "RA" && second.substr(0, 3) == "DEC" ? one : nullptr;
}

} // namespace

std::optional<SkyCoordinates> SkyCoordinates::read(const std::string& cards) {
    SkyCoordinates out;
    out.m_cards = coordinateCards(cards);
    if (!saysWhere(out.m_cards)) return std::nullopt;
    {
        const std::scoped_lock lock(guard());
        out.m_wcs = parsed(out.m_cards);
    }
    if (!out.m_wcs) return std::nullopt;
    const Point middle = out.reference();
    if (!(std::abs(middle.x) < 1e7 && std::abs(middle.y) < 1e7)) return std::nullopt;
    // A pixel of more than half a degree or less than a thousandth of a second is no frame, and what does not lead back is no description.
    const auto sky = out.toSky(middle), beside = out.toSky({middle.x + 1, middle.y}), below = out.toSky({middle.x, middle.y + 1});
    if (!sky || !beside || !below || std::abs(sky->y) > 90) return std::nullopt;
    const auto apart = [&](Point p) { return length(std::remainder(p.x - sky->x, 360.0) * std::cos(sky->y * M_PI / 180), p.y - sky->y); };
    for (const double d : {apart(*beside), apart(*below)})
        if (!(d > 1e-3 / 3600 && d < 0.5) && std::abs(sky->y) < 89) return std::nullopt;
    const auto back = out.toPixel(*beside);
    if (!back || length(back->x - middle.x - 1, back->y - middle.y) > 0.05) return std::nullopt;
    return out;
}

std::optional<Point> SkyCoordinates::toSky(Point p) const {
    const std::array<double, 2> pixel{p.x + 1, p.y + 1}; // FITS counts from 1
    std::array<double, 2> between, world;
    double phi = 0, theta = 0;
    int bad = 0;
    const std::scoped_lock lock(guard());
    if (wcsp2s(m_wcs.get(), 1, 2, pixel.data(), between.data(), &phi, &theta, world.data(), &bad) != 0 || bad != 0) return std::nullopt;
    const double ra = world[static_cast<std::size_t>(m_wcs->lng)], dec = world[static_cast<std::size_t>(m_wcs->lat)];
    if (!std::isfinite(ra) || !std::isfinite(dec)) return std::nullopt;
    return Point{ra - 360 * std::floor(ra / 360), dec};
}

std::optional<Point> SkyCoordinates::toPixel(Point sky) const {
    std::array<double, 2> world;
    world[static_cast<std::size_t>(m_wcs->lng)] = sky.x, world[static_cast<std::size_t>(m_wcs->lat)] = sky.y;
    std::array<double, 2> between, pixel;
    double phi = 0, theta = 0;
    int bad = 0;
    const std::scoped_lock lock(guard());
    if (wcss2p(m_wcs.get(), 1, 2, world.data(), &phi, &theta, between.data(), pixel.data(), &bad) != 0 || bad != 0) return std::nullopt;
    if (!std::isfinite(pixel[0]) || !std::isfinite(pixel[1])) return std::nullopt;
    return Point{pixel[0] - 1, pixel[1] - 1};
}

Point SkyCoordinates::reference() const {
    return {m_wcs->crpix[0] - 1, m_wcs->crpix[1] - 1};
}

double SkyCoordinates::positionAngle(double direction_deg) const {
    const double a = direction_deg * M_PI / 180;
    const Point at = reference();
    const auto from = toSky(at), to = toSky({at.x + std::cos(a), at.y + std::sin(a)});
    if (!from || !to) return 0; // `read` has seen both
    const double turn = (to->x - from->x) * M_PI / 180, d0 = from->y * M_PI / 180, d1 = to->y * M_PI / 180;
    const double angle =
        std::atan2(std::sin(turn) * std::cos(d1), std::cos(d0) * std::sin(d1) - std::sin(d0) * std::cos(d1) * std::cos(turn)) * 180 / M_PI; // east over north
    return angle < 0 ? angle + 360 : angle;
}

bool SkyCoordinates::mirrored() const {
    return std::remainder(positionAngle(90) - positionAngle(0), 360.0) > 0;
}

} // namespace caelumen
