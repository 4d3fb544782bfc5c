#pragma once

#include <QCoreApplication>
#include <QString>

#include <string>
#include <string_view>

namespace caelumen {

/// A constant text of the core (the label of a quantity, the name of a kind) in the language that is spoken.
inline QString coreWord(std::string_view english) {
    return QCoreApplication::translate("caelumen::core", std::string(english).c_str());
}

} // namespace caelumen
