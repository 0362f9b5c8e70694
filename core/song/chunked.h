// A list whose copies share their entries chunk by chunk: a copy costs a sixty-fourth of the list, and replacing one
// entry copies one chunk. What a song of a thousand ornaments is kept in, so that an edit does not pay for all of them.
#pragma once

#include <algorithm>
#include <cstddef>
#include <iterator>
#include <memory>
#include <utility>
#include <vector>

namespace ivrin {

template <class T> class Chunked {
 public:
  static constexpr std::size_t kChunk = 64;

  /// Over entries that cannot be changed in place; random access.
  class Iterator {
   public:
    using iterator_category = std::random_access_iterator_tag;
    using value_type = T;
    using difference_type = std::ptrdiff_t;
    using pointer = const T*;
    using reference = const T&;
    Iterator() = default;
    Iterator(const Chunked* list, std::size_t at)
        : list_(list)
        , at_(at) {}
    reference operator*() const { return (*list_)[at_]; }
    pointer operator->() const { return &(*list_)[at_]; }
    reference operator[](difference_type n) const { return *(*this + n); }
    Iterator& operator+=(difference_type n) {
      at_ = static_cast<std::size_t>(static_cast<difference_type>(at_) + n);
      return *this;
    }
    Iterator& operator-=(difference_type n) { return *this += -n; }
    Iterator& operator++() { return *this += 1; }
    Iterator& operator--() { return *this += -1; }
    Iterator operator++(int) { return std::exchange(*this, *this + 1); }
    Iterator operator--(int) { return std::exchange(*this, *this - 1); }
    friend Iterator operator+(Iterator i, difference_type n) { return i += n; }
    friend Iterator operator+(difference_type n, Iterator i) { return i += n; }
    friend Iterator operator-(Iterator i, difference_type n) { return i -= n; }
    friend difference_type operator-(const Iterator& a, const Iterator& b) {
      return static_cast<difference_type>(a.at_) - static_cast<difference_type>(b.at_);
    }
    friend bool operator==(const Iterator& a, const Iterator& b) { return a.at_ == b.at_; }
    friend auto operator<=>(const Iterator& a, const Iterator& b) { return a.at_ <=> b.at_; }

   private:
    const Chunked* list_ = nullptr;
    std::size_t at_ = 0;
  };

  Chunked() = default;
  explicit Chunked(const std::vector<T>& all) { append(all.begin(), all.end()); }

  std::size_t size() const { return size_; }
  bool empty() const { return size_ == 0; }
  const T& operator[](std::size_t i) const { return (*chunks_[i / kChunk])[i % kChunk]; }
  const T& front() const { return (*this)[0]; }
  const T& back() const { return (*this)[size_ - 1]; }
  Iterator begin() const { return {this, 0}; }
  Iterator end() const { return {this, size_}; }

  void push_back(T v) { append(&v, &v + 1); }
  void set(std::size_t i, T v) {
    auto chunk = std::make_shared<std::vector<T>>(*chunks_[i / kChunk]);
    (*chunk)[i % kChunk] = std::move(v);
    chunks_[i / kChunk] = std::move(chunk);
  }
  /// These cost what comes after.
  void insert(std::size_t i, T v) {
    std::vector<T> rest{std::move(v)};
    rest.insert(rest.end(), begin() + static_cast<std::ptrdiff_t>(i), end());
    cut(i);
    append(rest.begin(), rest.end());
  }
  void erase(std::size_t i) {
    const std::vector<T> rest(begin() + static_cast<std::ptrdiff_t>(i + 1), end());
    cut(i);
    append(rest.begin(), rest.end());
  }
  template <class Pick> std::size_t eraseIf(Pick pick) {
    std::vector<T> kept;
    for (const T& v : *this)
      if (!pick(v)) kept.push_back(v);
    const std::size_t gone = size_ - kept.size();
    if (gone > 0) *this = Chunked(kept);
    return gone;
  }

  /// How many entries at the begin are the same; shared chunks are not looked into.
  template <class Same> static std::size_t commonHead(const Chunked& a, const Chunked& b, Same same) {
    const std::size_t most = std::min(a.size_, b.size_);
    std::size_t n = 0;
    while (n < most) {
      if (n % kChunk == 0 && n + kChunk <= most && a.chunks_[n / kChunk] == b.chunks_[n / kChunk])
        n += kChunk;
      else if (same(a[n], b[n]))
        ++n;
      else
        break;
    }
    return n;
  }
  /// How many at the end are the same, at most `most`.
  template <class Same> static std::size_t commonTail(const Chunked& a, const Chunked& b, std::size_t most, Same same) {
    std::size_t n = 0;
    while (n < most) {
      const std::size_t i = a.size_ - n, k = b.size_ - n; // one past the entries to compare
      // Whole chunks stand at the same places only in lists of one length.
      if (a.size_ == b.size_ && i % kChunk == 0 && n + kChunk <= most &&
          a.chunks_[i / kChunk - 1] == b.chunks_[i / kChunk - 1])
        n += kChunk;
      else if (same(a[i - 1], b[k - 1]))
        ++n;
      else
        break;
    }
    return n;
  }

  friend bool operator==(const Chunked& a, const Chunked& b) {
    if (a.size_ != b.size_) return false;
    for (std::size_t c = 0; c < a.chunks_.size(); ++c)
      if (a.chunks_[c] != b.chunks_[c] && *a.chunks_[c] != *b.chunks_[c]) return false;
    return true;
  }

 private:
  using Chunk = std::shared_ptr<const std::vector<T>>; // never changed: whoever holds it reads it from any thread
  template <class It> void append(It from, It to) {
    while (from != to) {
      auto chunk = std::make_shared<std::vector<T>>();
      if (size_ % kChunk != 0) {
        *chunk = *chunks_.back();
        chunks_.pop_back();
      }
      const auto n = std::min<std::ptrdiff_t>(to - from, static_cast<std::ptrdiff_t>(kChunk - chunk->size()));
      chunk->insert(chunk->end(), from, from + n);
      from += n;
      size_ += static_cast<std::size_t>(n);
      chunks_.push_back(std::move(chunk));
    }
  }
  void cut(std::size_t size) {
    chunks_.resize((size + kChunk - 1) / kChunk);
    if (size % kChunk != 0)
      chunks_.back() = std::make_shared<std::vector<T>>(
          chunks_.back()->begin(), chunks_.back()->begin() + static_cast<std::ptrdiff_t>(size % kChunk));
    size_ = size;
  }
  std::vector<Chunk> chunks_; // all but the last are full
  std::size_t size_ = 0;
};

} // namespace ivrin
