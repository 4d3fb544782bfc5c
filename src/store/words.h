#pragma once

#include <QCoreApplication>
#include <QString>

namespace caelumen {

/// A text for people, in the language that is spoken.
inline QString words(const char* english) {
    return QCoreApplication::translate("caelumen::Campaign", english);
}

} // namespace caelumen
