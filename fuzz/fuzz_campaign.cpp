#include "core/base/json.h"
#include "core/model/trial_json.h"
#include "input_file.h"
#include "store/campaign.h"

#include <QCoreApplication>

using namespace caelumen;

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
    static int argc = 1;
    static char name[] = "fuzz", *argv[] = {name, nullptr};
    static const QCoreApplication application(argc, argv);
    qInstallMessageHandler([](QtMsgType, const QMessageLogContext&, const QString&) {});
    const auto campaign = Campaign::openToRead(QString::fromStdString(inputFile(data, size, ".caelumen").string()));
    if (!campaign) return 0;
    const auto trials = (*campaign)->trials();
    for (const char* key : {"shown", "subs", "writer"}) (void)(*campaign)->setting(key);
    if (!trials) return 0;
    for (std::size_t i = 0; i < trials->size() && i < 20; ++i)
        if (const auto trial = (*campaign)->trial((*trials)[i].id)) (void)trialToJson(*trial).dump(); // throws where a text is none
    return 0;
}
