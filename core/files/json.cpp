#include "files/json.h"

#include "words/words.h"

#include <nlohmann/json.hpp>

#include <cmath>
#include <iterator>
#include <unordered_set>

namespace ivrin {
namespace {

constexpr std::size_t kMaxDepth = 64;

/// Builds a Value while the library reads; stops at the first thing that is not allowed.
class Builder : public nlohmann::json_sax<nlohmann::json> {
 public:
  bool null() override { return put(Value()); }
  bool boolean(bool b) override { return put(Value(b)); }
  bool number_integer(number_integer_t n) override { return put(Value(static_cast<double>(n))); }
  bool number_unsigned(number_unsigned_t n) override { return put(Value(static_cast<double>(n))); }
  bool number_float(number_float_t d, const string_t& text) override {
    return std::isfinite(d) ? put(Value(d)) : fail(worded("the number %1 is too large", text));
  }
  bool string(string_t& s) override { return put(Value(std::move(s))); }
  bool binary(binary_t&) override { return fail(worded("binary data")); }
  bool start_object(std::size_t) override {
    keys_.emplace_back();
    return open(Value(Object{}));
  }
  bool end_object() override {
    keys_.pop_back();
    return close();
  }
  bool start_array(std::size_t) override { return open(Value(List{})); }
  bool end_array() override { return close(); }
  bool key(string_t& k) override {
    if (!keys_.back().insert(k).second) return fail(worded("the field “%1” occurs twice in one object", k));
    std::get<Object>(stack_.back().data).emplace_back(std::move(k), Value());
    return true;
  }
  bool parse_error(std::size_t position, const std::string&, const nlohmann::json::exception& e) override {
    position_ = position;
    std::string what = e.what();
    if (const auto at = what.find("syntax error"); at != std::string::npos) what = what.substr(at);
    return fail(what);
  }

  Value root;
  std::string error;
  std::size_t position_ = 0;

 private:
  bool fail(std::string why) {
    if (error.empty()) error = std::move(why);
    return false;
  }
  bool open(Value v) {
    if (stack_.size() >= kMaxDepth) return fail(worded("is nested deeper than 64 levels"));
    stack_.push_back(std::move(v));
    return true;
  }
  bool close() {
    Value v = std::move(stack_.back());
    stack_.pop_back();
    return put(std::move(v));
  }
  bool put(Value v) {
    if (stack_.empty())
      root = std::move(v);
    else if (auto* l = std::get_if<List>(&stack_.back().data))
      l->push_back(std::move(v));
    else
      std::get<Object>(stack_.back().data).back().second = std::move(v);
    return true;
  }
  std::vector<Value> stack_;
  std::vector<std::unordered_set<std::string>> keys_; // of the objects that are open
};

/// Counts what the library has read, so that problems found by the builder have a place too.
struct CountingIterator {
  using iterator_category = std::input_iterator_tag;
  using value_type = char;
  using difference_type = std::ptrdiff_t;
  using pointer = const char*;
  using reference = const char&;
  const char* at;
  std::size_t* read;
  const char& operator*() const { return *at; }
  CountingIterator& operator++() {
    ++at;
    ++*read;
    return *this;
  }
  CountingIterator operator++(int) {
    CountingIterator old = *this;
    ++*this;
    return old;
  }
  friend bool operator==(const CountingIterator& a, const CountingIterator& b) { return a.at == b.at; }
};

void pretty(const Value& v, std::size_t indent, std::size_t lead, std::string& out) {
  const std::string line = compactJson(v);
  const bool isContainer = v.list() || v.object();
  if (!isContainer || (indent > 0 && indent + lead + line.size() <= 100)) {
    out += line;
    return;
  }
  const std::string pad(indent + 2, ' ');
  const auto separate = [&](bool first) { out += first ? "\n" + pad : ",\n" + pad; };
  if (const auto* l = v.list()) {
    out += '[';
    for (std::size_t i = 0; i < l->size(); ++i) {
      separate(i == 0);
      pretty((*l)[i], indent + 2, 0, out);
    }
    if (!l->empty()) out += '\n' + std::string(indent, ' ');
    out += ']';
  } else {
    out += '{';
    bool first = true;
    for (const auto& [key, value] : *v.object()) {
      separate(first);
      first = false;
      const std::string name = compactJson(Value(key)) + ": ";
      out += name;
      pretty(value, indent + 2, name.size(), out);
    }
    out += '\n' + std::string(indent, ' ') + '}';
  }
}

} // namespace

std::optional<Value> parseJson(std::string_view text, Problems& problems) {
  Builder b;
  bool ok = false;
  std::size_t read = 0;
  try {
    ok = nlohmann::json::sax_parse(CountingIterator{text.data(), &read},
                                   CountingIterator{text.data() + text.size(), &read}, &b);
  } catch (const std::exception& e) {
    b.error = e.what();
  }
  if (ok) return std::move(b.root);
  if (b.position_ == 0) b.position_ = read;
  std::size_t line = 1, column = 1;
  for (std::size_t i = 0; i < std::min(b.position_, text.size()); ++i) {
    if (text[i] == '\n') {
      ++line;
      column = 1;
    } else {
      ++column;
    }
  }
  std::string place;
  if (b.position_ > 0) place = worded("line %1, column %2", line, column);
  problems.error(ErrorId::syntax, place, b.error.empty() ? worded("is not valid JSON") : b.error);
  return std::nullopt;
}

std::string prettyJson(const Value& v) {
  std::string out;
  pretty(v, 0, 0, out);
  out += '\n';
  return out;
}

} // namespace ivrin
