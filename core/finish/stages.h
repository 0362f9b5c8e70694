// What processors are made of: stages that work in place, that ring on, or that need the whole sound.
#pragma once

#include "audio/kept_sound.h"
#include "finish/finisher.h"
#include "song/curve.h"
#include "song/settings/settings_view.h"
#include "time/note_value.h"

#include <algorithm>
#include <cmath>

namespace ivrin {

class Stage : public Flow {
 public:
  explicit Stage(std::unique_ptr<Flow> in)
      : in_(std::move(in)) {}
  std::string note() const override { return in_->note(); }
  std::optional<double> levelDb() const override { return in_->levelDb(); }

 protected:
  std::unique_ptr<Flow> in_;
};

/// As long as what comes in.
class InPlace : public Stage {
 public:
  using Stage::Stage;
  std::int64_t render(StereoSpan out) override {
    const std::int64_t n = in_->render(out);
    const StereoSpan part = out.part(0, n);
    if (!part.isSilent() || !rests(n)) process(part, offset_);
    offset_ += n;
    return n;
  }
  bool seek(std::int64_t frame) override {
    if (remembers() || !in_->seek(frame)) return false;
    offset_ = frame;
    return true;
  }

 protected:
  /// What a frame becomes depends on frames before it. False only for processors that say they are memoryless.
  virtual bool remembers() const { return true; }
  /// Silence comes in, `frames` of it: whether it stays as it is and nothing remembered sounds in it. Where true, what
  /// moves by itself has been brought to its end, and process() is not called.
  virtual bool rests(std::int64_t /*frames*/) { return !remembers(); }
  /// `offset`: frames since the print's first.
  virtual void process(StereoSpan io, std::int64_t offset) = 0;

 private:
  std::int64_t offset_ = 0;
};

/// Rings on after what comes in, until all is under −84 dBFS for 100 ms or `longest` frames have passed, then faded.
class Ringing : public Stage {
 public:
  static constexpr float kFloor = 6.3e-5f;
  Ringing(std::unique_ptr<Flow> in, std::int64_t longest, double sampleRate)
      : Stage(std::move(in))
      , longest_(longest)
      , quiet_(std::llround(0.1 * sampleRate))
      , fade_(std::min<std::int64_t>(longest, std::llround(0.05 * sampleRate))) {}
  std::int64_t render(StereoSpan out) override {
    if (over_) return 0;
    std::int64_t n = out.frames;
    if (endOfInput_ < 0) {
      const std::int64_t got = in_->render(out);
      if (got < out.frames) endOfInput_ = offset_ + got;
      out.part(got, out.frames - got).clear();
    } else {
      out.clear();
    }
    if (endOfInput_ >= 0) n = std::clamp<std::int64_t>(endOfInput_ + longest_ - offset_, 0, n);
    process(out.part(0, n));
    for (std::int64_t i = 0; i < n; ++i) {
      if (endOfInput_ >= 0) {
        const std::int64_t left = endOfInput_ + longest_ - offset_ - i;
        if (left < fade_) {
          const float g = static_cast<float>(left) / static_cast<float>(fade_);
          out.left[i] *= g;
          out.right[i] *= g;
        }
      }
      if (std::max(std::abs(out.left[i]), std::abs(out.right[i])) >= kFloor) lastHeard_ = offset_ + i + 1;
    }
    offset_ += n;
    over_ =
        n < out.frames || (endOfInput_ >= 0 && offset_ >= std::max({endOfInput_, storedUntil(), lastHeard_}) + quiet_);
    return n;
  }

 protected:
  virtual void process(StereoSpan io) = 0;
  /// In frames since the first: before this, what is stored may be over kFloor.
  virtual std::int64_t storedUntil() const = 0;
  std::int64_t offset() const { return offset_; }

 private:
  std::int64_t longest_, quiet_, fade_, offset_ = 0, endOfInput_ = -1, lastHeard_ = 0;
  bool over_ = false;
};

/// As long as what comes in, from a processor whose answer comes `latency` frames late: what comes in is taken so much
/// ahead, in the blocks that flows are made for.
class TakenAhead : public Stage {
 public:
  TakenAhead(std::unique_ptr<Flow> in, std::int64_t latency)
      : Stage(std::move(in))
      , skip_(latency) {}
  std::int64_t render(StereoSpan out) override {
    std::int64_t done = 0;
    while (done < out.frames && (length_ < 0 || given_ < length_)) {
      if (at_ == ready_) next();
      std::int64_t n = std::min(out.frames - done, ready_ - at_);
      if (length_ >= 0) n = std::min(n, length_ - given_);
      std::copy_n(block_.left() + at_, n, out.left + done);
      std::copy_n(block_.right() + at_, n, out.right + done);
      at_ += n;
      given_ += n;
      done += n;
    }
    return done;
  }

 protected:
  virtual void process(StereoSpan io) = 0;

 private:
  void next() {
    block_.resize(kPrintBlock);
    const std::int64_t got = length_ < 0 ? in_->render(block_.span()) : 0;
    taken_ += got;
    if (got < kPrintBlock && length_ < 0) length_ = taken_;
    block_.span().part(got, kPrintBlock - got).clear();
    process(block_.span());
    at_ = std::min(skip_, kPrintBlock);
    skip_ -= at_;
    ready_ = kPrintBlock;
  }
  StereoBuffer block_;
  std::int64_t skip_, at_ = 0, ready_ = 0, taken_ = 0, given_ = 0, length_ = -1; // known when all has come
};

/// Takes in everything before it gives anything.
class Whole : public Stage {
 public:
  using Stage::Stage;
  std::int64_t render(StereoSpan out) override {
    if (!taken_) {
      taken_ = true;
      for (std::int64_t at = 0;;) {
        all_.resize(at + kPrintBlock);
        const std::int64_t n = in_->render(all_.span().part(at, kPrintBlock));
        at += n;
        if (n == kPrintBlock) continue;
        all_.resize(at);
        break;
      }
      transform(all_);
    }
    const std::int64_t n = std::min(out.frames, all_.frames() - given_);
    std::copy_n(all_.left() + given_, n, out.left);
    std::copy_n(all_.right() + given_, n, out.right);
    given_ += n;
    return n;
  }

 protected:
  virtual void transform(StereoBuffer& all) = 0;

 private:
  StereoBuffer all_;
  std::int64_t given_ = 0;
  bool taken_ = false;
};

/// Takes in everything before it gives anything, and keeps it where much is kept.
class Held : public Stage {
 public:
  Held(std::unique_ptr<Flow> in, std::shared_ptr<ChunkStore> store)
      : Stage(std::move(in))
      , all_(std::move(store)) {}
  std::int64_t render(StereoSpan out) override {
    if (!std::exchange(taken_, true)) {
      StereoBuffer block(kPrintBlock);
      for (std::int64_t n = kPrintBlock; n == kPrintBlock;) {
        n = in_->render(block.span());
        all_.append(block.span().part(0, n));
        comes(block.span().part(0, n));
      }
      allCame();
    }
    const std::int64_t n = std::min(out.frames, all_.frames() - given_);
    give(given_, out.part(0, n));
    given_ += n;
    return n;
  }

 protected:
  virtual void comes(StereoSpan) {}
  virtual void allCame() {}
  virtual void give(std::int64_t at, StereoSpan out) = 0;
  const KeptSound& all() const { return all_; }

 private:
  KeptSound all_;
  std::int64_t given_ = 0;
  bool taken_ = false;
};

/// A whole sound as a source of stretches of it, silence outside. It must outlive what is returned.
inline auto stretchesOf(const StereoBuffer& in) {
  return [&in](Frames from, StereoSpan out) { in.read(from.count, out); };
}

/// A processor from its table and its way of attaching.
class SimpleFinisher : public Finisher {
 public:
  using Attach = std::unique_ptr<Flow> (*)(std::unique_ptr<Flow>, const FinishPlace&, const SettingsView&);
  enum class Needs { nothing, past, all }; // of the sound, to compute a block of it
  SimpleFinisher(TableSpec spec, Attach way, Needs needs = Needs::past)
      : table_(std::move(spec))
      , attach_(way)
      , needs_(needs) {}
  const TableSpec& table() const override { return table_; }
  bool memoryless() const override { return needs_ == Needs::nothing; }
  bool whole(const Settings&) const override { return needs_ == Needs::all; }
  std::unique_ptr<Flow> attach(std::unique_ptr<Flow> in, const FinishPlace& at, const Settings& set) const override {
    return attach_(std::move(in), at, SettingsView(table_, set));
  }

 protected:
  TableSpec table_;
  Attach attach_;
  Needs needs_;
};

/// io = (1 − share)·dry + share·wet
inline void mixWet(StereoSpan io, const StereoSpan& wet, double share) {
  const auto d = static_cast<float>(1 - share), w = static_cast<float>(share);
  for (std::int64_t i = 0; i < io.frames; ++i) {
    io.left[i] = d * io.left[i] + w * wet.left[i];
    io.right[i] = d * io.right[i] + w * wet.right[i];
  }
}

} // namespace ivrin
