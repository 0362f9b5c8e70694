#include "words/words.h"

#include <atomic>

namespace ivrin {
namespace {

std::atomic<Translator> translator = nullptr;

} // namespace

void setTranslator(Translator t) {
  translator = t;
}

std::string wording::filled(std::string_view english, const std::vector<std::string>& parts) {
  if (english.empty()) return {};
  const Translator t = translator;
  std::string pattern = t ? t(english) : std::string(english);
  if (parts.empty()) return pattern;
  std::string out;
  for (std::size_t i = 0; i < pattern.size(); ++i) {
    const std::size_t place =
        pattern[i] == '%' && i + 1 < pattern.size() ? static_cast<std::size_t>(pattern[i + 1] - '1') : parts.size();
    if (place < parts.size())
      out += parts[place], ++i;
    else
      out += pattern[i];
  }
  return out;
}

std::string inWords(const std::exception& e) {
  return dynamic_cast<const std::bad_alloc*>(&e) ? worded("there is not enough memory") : e.what();
}

} // namespace ivrin
