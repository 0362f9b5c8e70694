// Jobs: what is stale is never delivered, what fails is said, every thread is joined. No window is needed: a queue that
// the test empties by hand stands for the window's thread.
#include "services/jobs.h"

#include <catch2/catch.hpp>

#include <atomic>
#include <condition_variable>
#include <deque>
#include <latch>
#include <mutex>
#include <stdexcept>

using namespace ivrin;

namespace {

/// The owner's thread as a queue.
class Queue {
 public:
  Poster poster() {
    return [this](std::function<void()> f) {
      {
        std::lock_guard lock(mutex_);
        waiting_.push_back(std::move(f));
      }
      some_.notify_all();
    };
  }
  /// Runs what was posted until `done`; waits for more where there is nothing.
  void runUntil(const std::function<bool()>& done) {
    while (!done()) {
      std::function<void()> f;
      {
        std::unique_lock lock(mutex_);
        some_.wait(lock, [&] { return !waiting_.empty(); });
        f = std::move(waiting_.front());
        waiting_.pop_front();
      }
      f();
    }
  }
  std::size_t waiting() {
    std::lock_guard lock(mutex_);
    return waiting_.size();
  }

 private:
  std::mutex mutex_;
  std::condition_variable some_;
  std::deque<std::function<void()>> waiting_;
};

struct Office {
  Queue queue;
  std::vector<std::string> failures;
  Workers workers{queue.poster(), [this](const std::string& why) { failures.push_back(why); }};
  void runAll() {
    queue.runUntil([this] { return !workers.working(); });
  }
};

} // namespace

TEST_CASE("a thousand jobs begun one after another leave no thread behind", "[services][threads]") {
  Office o;
  int delivered = 0;
  static std::atomic<int> worked;
  worked = 0;
  std::size_t most = 0;
  Job<int, int> job(
      o.workers,
      [](const int& n, const Run&) {
        ++worked;
        return n;
      },
      [&](int n) {
        ++delivered;
        CHECK(n % 10 == 9); // of ten begun at once only the newest counts
      });
  for (int i = 0; i < 1000; ++i) {
    job.begin(i);
    most = std::max(most, o.workers.threads());
    if (i % 10 == 9) o.runAll();
  }
  o.runAll();
  CHECK(worked == 1000);
  CHECK(delivered == 100);
  CHECK(most <= 10);
  CHECK(o.workers.threads() == 0); // before it was mended: 999
}

TEST_CASE("a job that ended before its result was looked at is stale when it is begun again", "[services][threads]") {
  Office o;
  std::vector<int> got, reported;
  struct Input {
    int n;
    std::function<void(int)> told; // on the owner's thread
  };
  Job<Input, int> job(
      o.workers,
      [](const Input& in, const Run& run) {
        run.report([told = in.told, n = in.n] { told(n); });
        return in.n;
      },
      [&](int n) { got.push_back(n); });
  const auto told = [&](int n) { reported.push_back(n); };
  job.begin({1, told});
  while (o.queue.waiting() < 3)
    std::this_thread::yield(); // report, result and end: it is over, nothing is delivered yet
  job.begin({2, told});
  o.runAll();
  CHECK(got == std::vector<int>{2});
  CHECK(reported == std::vector<int>{2});
  job.begin({3, told});
  while (o.queue.waiting() < 3) std::this_thread::yield();
  job.cancel(); // another song was opened
  o.runAll();
  CHECK(got == std::vector<int>{2});
}

TEST_CASE("work that is begun again is asked to stop, hurried work still delivers", "[services][threads]") {
  Office o;
  static std::latch begun(1);
  std::vector<int> got;
  Job<int, int> job(
      o.workers,
      [](const int& n, const Run& run) {
        if (n == 1) begun.count_down();
        if (n != 2)
          while (!run.stop.stop_requested()) std::this_thread::yield();
        return n;
      },
      [&](int n) { got.push_back(n); });
  job.begin(1);
  begun.wait();
  job.begin(2); // stops the first
  o.runAll();
  CHECK(got == std::vector<int>{2});
  job.begin(3);
  job.hurry();
  o.runAll();
  CHECK(got == std::vector<int>{2, 3});
}

TEST_CASE("an exception in a job is said once, and only while it counts", "[services][threads]") {
  Office o;
  Job<int, int> job(
      o.workers, [](const int&, const Run&) -> int { throw std::runtime_error("the disk is gone"); },
      [](int) { FAIL("nothing to deliver"); });
  job.begin(1);
  o.runAll();
  CHECK(o.failures == std::vector<std::string>{"the disk is gone"});
  job.begin(2);
  job.cancel();
  o.runAll();
  CHECK(o.failures.size() == 1);
}

TEST_CASE("what is posted after the workers have gone touches nothing", "[services][threads]") {
  Queue queue;
  int delivered = 0;
  {
    Workers workers(queue.poster(), [](const std::string&) {});
    Job<int, int> job(
        workers,
        [](const int& n, const Run& run) {
          while (!run.stop.stop_requested()) std::this_thread::yield();
          return n;
        },
        [&](int) { ++delivered; });
    job.begin(1);
  } // asked to stop, and joined
  queue.runUntil([&] { return queue.waiting() == 0; });
  CHECK(delivered == 0);
}
