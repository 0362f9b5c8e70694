// Hearing gives first presses what they listen to: rows of a song as they sound, through plans that follow one from
// another.
#pragma once

#include "manners/placing.h"
#include "render/render_plan.h"
#include "services/findings.h"

namespace ivrin {

/// `from` is the plan of the song as it is; songs that grow out of it are planned from it. Keeps what it is given
/// alive, but for `findings`, which must outlive it.
Hear hearing(std::shared_ptr<const RenderPlan> from, SongAudio audio, std::shared_ptr<PrintCache> cache,
             Findings& findings, std::stop_token stop = {});

} // namespace ivrin
