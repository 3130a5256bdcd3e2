// Learned answers that are not saved yet: an interrupted session loses nothing.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "learning_run.hpp"
#include "os/door.hpp"

namespace omnipar::cli {

/// Answers by the names of their questions, and the nodes that they refer to, as stored in a draft's file.
struct LearningDraft {
  std::string form;  ///< of a unit
  bool by_letter = false;
  std::vector<std::pair<std::string, Answer>> answers{};
  std::vector<std::string> nodes{};  ///< by the numbers in the answers: the identity of each node
};

/// The path of the draft of what will be saved to `path`, for one port of it.
[[nodiscard]] std::string draft_path(os::Door& door, const std::string& path, int port, bool second);
[[nodiscard]] bool has_draft(os::Door& door, const std::string& file);

[[nodiscard]] LearningDraft draft_of(const LearningRun& run);
/// The answers for a run whose units are connected again.
[[nodiscard]] std::vector<std::pair<std::string, Answer>> answers_of(const LearningDraft& draft,
                                                                     const LearningRun& run);

[[nodiscard]] std::optional<Diagnostic> write_draft(os::Door& door, const std::string& file,
                                                    const LearningDraft& draft);
/// Fails like reading a file, and with `no-draft` and `bad-draft`.
[[nodiscard]] tl::expected<LearningDraft, Diagnostic> read_draft(os::Door& door, const std::string& file);

/// Stores unsaved answers and prints the command that resumes; or reports that nothing was saved, and deletes the
/// previous draft if the user discarded it.
void put_by(os::Door& door, const std::string& file, const LearningRun& run, const std::string& command,
            const LearningDraft& draft);

}  // namespace omnipar::cli
