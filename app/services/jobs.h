// Long work off the window's thread. It knows no window: what comes back is handed to a poster, which runs it later on
// the thread that owns the jobs.
//
// Invariants:
//  1. All but the work itself runs on the owner's thread.
//  2. A result, a report or a failure is delivered at most once, and only while its job was neither begun again nor
//     cancelled since.
//  3. Every thread is joined: when its work has ended, or when the workers go.
//  4. What was posted touches neither workers nor jobs that are gone.
#pragma once

#include "dsp/denormals.h"
#include "time/check.h"
#include "words/words.h"

#include <cstdint>
#include <exception>
#include <functional>
#include <map>
#include <memory>
#include <stop_token>
#include <string>
#include <thread>
#include <utility>

namespace ivrin {

/// Runs a function later on the owner's thread; functions handed over by one thread run in their order.
using Poster = std::function<void(std::function<void()>)>;

/// The threads of all jobs of one owner.
class Workers {
 public:
  /// `failed` gets the words of an exception that left a job's work.
  Workers(Poster poster, std::function<void(const std::string&)> failed)
      : poster_(std::move(poster))
      , failed_(std::move(failed)) {}
  /// Asks all to stop and waits for them.
  ~Workers() {
    alive_.reset();
    for (auto& [serial, w] : under_) w.stop.request_stop();
    under_.clear();
  }
  Workers(const Workers&) = delete;
  Workers& operator=(const Workers&) = delete;

  /// True until everything that ended was delivered.
  bool working() const { return !under_.empty(); }
  /// Threads not yet joined.
  std::size_t threads() const { return under_.size(); }

  /// Later on the owner's thread, unless the workers are gone by then. From any thread that works for them.
  void post(std::function<void()> f) const {
    poster_([f = std::move(f), alive = watch_] {
      if (!alive.expired()) f();
    });
  }
  void start(const std::stop_source& stop, std::function<void(std::stop_token)> work) {
    const std::uint64_t serial = next_++;
    // The thread posts its end; that runs here, later, so its entry is there by then.
    under_.emplace(serial, Under{stop, std::jthread([this, serial, token = stop.get_token(), work = std::move(work),
                                                     alive = watch_, poster = poster_] {
                                   const FlushDenormals guard;
                                   work(token);
                                   poster([this, serial, alive] {
                                     if (!alive.expired()) joinEnded(serial);
                                   });
                                 })});
  }
  void fail(const std::string& why) const { failed_(why); }

 private:
  struct Under {
    std::stop_source stop;
    std::jthread thread;
  };
  void joinEnded(std::uint64_t serial) {
    IVRIN_CHECK(3, under_.contains(serial));
    under_.erase(serial); // joins: it has nothing left to do
  }
  Poster poster_;
  std::function<void(const std::string&)> failed_;
  std::shared_ptr<int> alive_ = std::make_shared<int>(0);
  const std::weak_ptr<int> watch_ = alive_; // never written again, so that any thread may copy it
  std::uint64_t next_ = 0;
  std::map<std::uint64_t, Under> under_;
};

/// What work may ask and say while it runs.
struct Run {
  std::stop_token stop;
  /// Runs a function on the owner's thread, unless the job is stale by then.
  std::function<void(std::function<void()>)> report;
};

/// One kind of work, of which only the newest counts. Input goes by value, the result comes by value: the work is a
/// plain function, so that there is nothing else that it could read while its owner changes it.
template <class Input, class Result> class Job {
 public:
  using Work = Result (*)(const Input&, const Run&);
  using Done = std::function<void(Result)>;

  Job(Workers& workers, Work work, Done done)
      : workers_(workers)
      , body_(std::make_shared<const Body>(Body{work, std::move(done)})) {}
  ~Job() { cancel(); }
  Job(const Job&) = delete;
  Job& operator=(const Job&) = delete;

  /// The former one is asked to stop, and whatever it still says is dropped.
  void begin(Input input) {
    cancel();
    *running_ = true;
    stop_ = std::stop_source();
    workers_.start(stop_, [&workers = workers_, body = body_, newest = newest_, running = running_, serial = *newest_,
                           input = std::move(input)](std::stop_token token) {
      const auto current = [newest, serial](auto f) {
        return [newest, serial, f = std::move(f)]() mutable {
          if (*newest == serial) f();
        };
      };
      const Run run{token, [&](std::function<void()> f) { workers.post(current(std::move(f))); }};
      try {
        auto result = std::make_shared<Result>(body->work(input, run));
        workers.post(current([body, result, running] {
          *running = false;
          body->done(std::move(*result));
        }));
      } catch (const std::exception& e) {
        workers.post(current([&workers, running, why = inWords(e)] {
          *running = false;
          workers.fail(why);
        }));
      }
    });
  }
  /// Asks the work to stop; nothing of it is delivered any more.
  void cancel() {
    stop_.request_stop();
    ++*newest_;
    *running_ = false;
  }
  /// Begun, and its result not delivered yet.
  bool running() const { return *running_; }
  /// Asks the work to stop; its result is still delivered.
  void hurry() { stop_.request_stop(); }

 private:
  struct Body {
    Work work;
    Done done;
  };
  Workers& workers_;
  std::shared_ptr<const Body> body_;
  std::stop_source stop_{std::nostopstate};
  std::shared_ptr<std::uint64_t> newest_ = std::make_shared<std::uint64_t>(0); // read and written by the owner alone
  std::shared_ptr<bool> running_ = std::make_shared<bool>(false);              // likewise
};

} // namespace ivrin
