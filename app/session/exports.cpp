#include "app/session/exports.h"

#include "app/session/session.h"
#include "app/words/as_text.h"
#include "words/words.h"

namespace ivrin::app {

Exports::Exports(Session& session)
    : session_(session)
    , job_(session.workers(), written, [this](const Ended& ended) {
      waiting_.pop_front();
      emit session_.progress({}, 1);
      emit exported(ended.message, ended.ok);
      next();
    }) {}

Exports::Ended Exports::written(const Input& in, const Run& run) {
  try {
    const ExportReport report =
        exportSong(in.plan, in.folder, in.options, run.stop, [&](double f, const std::string& what) {
          run.report([told = in.told, f, text = asText(what)] { told(text, f); });
        });
    QString text = report.stopped
                       ? Session::tr("Export cancelled. No partial files were kept.")
                       : Session::tr("%n file(s) written to %1", nullptr, static_cast<int>(report.files.size()))
                             .arg(asText(in.folder.string()));
    if (!in.audio.damaged().empty()) // silence stood for what was not there
      return {
          Session::tr(
              "Export failed: the cached copy of a stem was damaged. It has been imported again; export once more."),
          false};
    for (const auto& n : report.notes) text += QStringLiteral(" · ") + asText(n);
    return {text, !report.stopped};
  } catch (const std::exception& e) {
    return {Session::tr("Export failed: %1").arg(asText(inWords(e))), false};
  }
}

void Exports::exportTo(const std::filesystem::path& folder, const ExportOptions& options) {
  if (!session_.isOpen()) return;
  session_.tryFailedAgain();
  waiting_.push_back({session_.plan(), session_.audio(), folder, options,
                      [&session = session_](const QString& what, double f) { session.showProgress(what)(f); }});
  if (waiting_.size() == 1)
    next();
  else
    emit session_.notice(Session::tr("Export queued."), false);
}

void Exports::next() {
  if (!waiting_.empty()) job_.begin(waiting_.front());
}

void Exports::cancel() {
  waiting_.resize(std::min<std::size_t>(waiting_.size(), 1));
  job_.hurry();
}

} // namespace ivrin::app
