// Times ours and a reference kernel in one run, interleaved, and states the ratio.
#pragma once

#include <functional>
#include <string>
#include <vector>

namespace ivrin::bench {

/// Median seconds of each over `rounds` interleaved runs, printed with their ratio and the goal.
void compare(const std::string& what, const std::string& goal, int rounds, const std::function<void()>& ours,
             const std::function<void()>& reference);
/// Prints median and 99th percentile in milliseconds.
void spread(const std::string& what, const std::string& goal, std::vector<double> milliseconds);
void line(const std::string& what, const std::string& figure, const std::string& goal);
double now();     // seconds, monotonic
double ownTime(); // seconds that this thread has computed
/// Keeps a result from being optimised away.
void keep(const void* p);

void soundBenchmarks();
void spaceBenchmarks();
void speedBenchmarks();
void planningBenchmarks();
void workBenchmarks();
void showBenchmarks();
void findings();
void recipesPage();
void windowBenchmarks();
/// How long each event took that the window was given since they were last cleared, ms; what an event sends counts to
/// it.
std::vector<double>& eventTimes();
/// The same in time of the window's own thread: what others on the machine take is not in it.
std::vector<double>& eventOwnTimes();
/// The page of figures of first presses, as Markdown; `before` are the figures of an earlier state, as it printed them
/// itself with `asJson`.
void firstPresses(const std::string& before, bool asJson);

} // namespace ivrin::bench
