#include "core/image/fits_facts.h"

#include "core/base/phrase.h"
#include "core/base/time_text.h"

#include <fmt/format.h>

#include <cmath>
#include <cstdlib>
#include <initializer_list>

namespace caelumen {
namespace {

/// "12 34 56.7" or "12:34:56.7" as a decimal number of its first unit; a plain number as itself.
std::optional<double> sexagesimal(const std::optional<std::string>& text) {
    if (!text) return std::nullopt;
    if (const auto plain = headerNumber(text)) return plain;
    int first = 0;
    double minutes = 0, seconds = 0;
    const char* s = text->c_str();
    if (std::sscanf(s, "%d%*[ :]%lf%*[ :]%lf", &first, &minutes, &seconds) < 2) return std::nullopt;
    const bool negative = text->find('-') != std::string::npos;
    const double size = std::abs(first) + minutes / 60 + seconds / 3600;
    return negative ? -size : size;
}

bool looksSexagesimal(const std::optional<std::string>& text) {
    return text && !headerNumber(text) && text->find_first_of(" :") != std::string::npos;
}

} // namespace

std::optional<double> headerNumber(const std::optional<std::string>& text) {
    if (!text || text->empty()) return std::nullopt;
    char* end = nullptr;
    const double value = std::strtod(text->c_str(), &end);
    while (end && *end == ' ') ++end;
    if (!end || *end != '\0' || end == text->c_str() || !std::isfinite(value)) return std::nullopt;
    return value;
}

namespace {

/// Takes facts from the words of one header. Of several words that may say a fact the first counts that does.
class HeaderFacts {
public:
    explicit HeaderFacts(const HeaderLookup& header)
        : m_header(header) {}

    FrameFacts take() {
        takeExposure();
        takeGain();
        takePedestal();
        takeOptics();
        takeNight();
        takeNames();
        takeTarget();
        takeSite();
        takeStart();
        return std::move(facts);
    }

private:
    using Keys = std::initializer_list<const char*>;
    using Number = std::optional<double> FrameFacts::*;
    using Words = std::optional<std::string> FrameFacts::*;

    void positive(const char* fact, std::optional<double>& to, Keys keys) {
        for (const char* key : keys) {
            const auto value = headerNumber(m_header(key));
            if (!value || to) continue;
            if (*value > 0) {
                to = value;
                facts.sources[fact] = key;
            } else {
                facts.notes.push_back(phrase("{} = {} is not usable", key, *value));
            }
        }
    }
    void number(const char* fact, Number member, Keys keys) {
        for (const char* key : keys) {
            const auto value = headerNumber(m_header(key));
            if (!value || facts.*member) continue;
            facts.*member = value;
            facts.sources[fact] = key;
        }
    }
    void words(const char* fact, Words member, Keys keys) {
        for (const char* key : keys) {
            const auto value = m_header(key);
            if (!value || value->empty() || facts.*member) continue;
            facts.*member = value;
            facts.sources[fact] = key;
        }
    }

    void takeExposure() {
        positive("sub_exposure_s", facts.sub_exposure_s, {"EXPTIME", "EXPOSURE"});
        std::optional<double> count;
        positive("sub_count", count, {"NCOMBINE", "STACKCNT"});
        if (count && *count < 1e6) facts.sub_count = static_cast<int>(std::lround(*count));
    }

    void takeGain() {
        positive("gain_e_per_adu", facts.gain_e_per_adu, {"EGAIN"});
        if (const auto gain = headerNumber(m_header("GAIN"))) {
            if (facts.gain_e_per_adu || *gain < 0.01 || *gain > 20) {
                facts.gain_setting = gain;
            } else {
                facts.gain_e_per_adu = gain;
                facts.sources["gain_e_per_adu"] = "GAIN";
                facts.notes.push_back(phrase("GAIN was taken as e-/ADU; it may be a camera setting"));
            }
        }
        positive("read_noise_e", facts.read_noise_e, {"RDNOISE", "READNOIS"});
        number("offset_setting", &FrameFacts::offset_setting, {"OFFSET", "BLKLEVEL"});
    }

    void takePedestal() {
        number("pedestal_adu", &FrameFacts::pedestal_adu, {"PEDESTAL"});
        if (facts.pedestal_adu && *facts.pedestal_adu < 0) {
            facts.notes.push_back(phrase("PEDESTAL is negative; its size was taken as what had been added"));
            facts.pedestal_adu = -*facts.pedestal_adu;
        }
    }

    void takeOptics() {
        positive("pixel_um", facts.pixel_um, {"XPIXSZ", "PIXSIZE1"});
        positive("focal_length_mm", facts.focal_length_mm, {"FOCALLEN"});
        positive("aperture_mm", facts.aperture_mm, {"APTDIA"});
        number("sensor_temperature_c", &FrameFacts::sensor_temperature_c, {"CCD-TEMP", "CCDTEMP"});
    }

    /// What the own stacking wrote.
    void takeNight() {
        positive("night_transparency", facts.night_transparency, {"TRANSNGT"});
        number("night_transparency_sigma", &FrameFacts::night_transparency_sigma, {"TRANSERR"});
        for (const char* channel : {"R", "G", "B", "L"}) {
            const auto slope = headerNumber(m_header((std::string("MOONSL_") + channel).c_str())),
                       error = headerNumber(m_header((std::string("MOONER_") + channel).c_str()));
            if (slope && error && *error > 0) facts.moon_response[channel] = {*slope, *error};
        }
        if (const auto mode = m_header("CAELMOS"); mode && *mode == "full")
            facts.sources["interpolated"] = "CAELMOS"; // a stack whose colours were interpolated to every pixel
    }

    void takeNames() {
        words("frame_kind", &FrameFacts::frame_kind, {"IMAGETYP", "FRAME", "OBSTYPE"});
        words("filter", &FrameFacts::filter, {"FILTER", "FILTER1"});
        words("target", &FrameFacts::target, {"OBJECT"});
        words("camera", &FrameFacts::camera, {"INSTRUME"});
        words("telescope", &FrameFacts::telescope, {"TELESCOP"});
    }

    void takeTarget() {
        for (const char* key : {"OBJCTRA", "RA"}) {
            const auto text = m_header(key);
            if (facts.ra_deg || !text) continue;
            if (const auto value = sexagesimal(text)) {
                facts.ra_deg = looksSexagesimal(text) ? *value * 15 : *value;
                facts.sources["ra_deg"] = key;
            }
        }
        for (const char* key : {"OBJCTDEC", "DEC"}) {
            const auto value = sexagesimal(m_header(key));
            if (facts.dec_deg || !value || std::abs(*value) > 90) continue;
            facts.dec_deg = value;
            facts.sources["dec_deg"] = key;
        }
    }

    void takeSite() {
        if (const auto value = sexagesimal(m_header("SITELAT")); value && std::abs(*value) <= 90) {
            facts.site_latitude_deg = value;
            facts.sources["site_latitude_deg"] = "SITELAT";
        }
        if (const auto value = sexagesimal(m_header("SITELONG")); value && std::abs(*value) <= 360) {
            facts.site_longitude_deg = *value > 180 ? *value - 360 : *value;
            facts.sources["site_longitude_deg"] = "SITELONG";
        }
    }

    void takeStart() {
        auto date = m_header("DATE-OBS");
        if (!date || date->size() < 10) return;
        if (date->size() == 10) {
            const auto time = m_header("TIME-OBS");
            *date += "T" + (time && time->size() >= 8 ? *time : std::string("00:00:00"));
        }
        if (const auto utc = utcTime(*date)) {
            facts.start = utc;
            facts.sources["start"] = "DATE-OBS";
        } else {
            facts.notes.push_back(phrase("DATE-OBS = {} is not a time", *date));
        }
    }

    const HeaderLookup& m_header;
    FrameFacts facts;
};

} // namespace

FrameFacts factsFromHeader(const HeaderLookup& header) {
    return HeaderFacts(header).take();
}

} // namespace caelumen
