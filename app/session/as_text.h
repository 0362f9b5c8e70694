// Text of the core, which is UTF-8, as Qt has it.
#pragma once

#include <QString>

#include <string>

namespace ivrin::app {

inline QString asText(const std::string& s) {
  return QString::fromStdString(s);
}

} // namespace ivrin::app
