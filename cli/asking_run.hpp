// A session that asks the user for input, and shows its messages for a while.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "watching.hpp"

namespace omnipar::cli {

class AskingRun : public Live {
 public:
  AskingRun() = default;
  AskingRun(const AskingRun&) = delete;
  AskingRun& operator=(const AskingRun&) = delete;
  /// A closing session still emits events; their receiver is gone by then.
  ~AskingRun() override {
    is_closing_ = true;
    watching_.reset();
  }
  void say_to(LineSink say) override { say_ = std::move(say); }
  [[nodiscard]] Session& session() noexcept override { return watching_->session(); }
  [[nodiscard]] bool is_typed_on(Duration within) const override { return watching_->is_typed_on(within); }
  [[nodiscard]] const inspect::Seen& seen() const noexcept override { return watching_->seen(); }

  /// Prints a message and, in a drawing, shows it for a while.
  void note(const std::string& words, bool is_drawn = true) {
    constexpr std::size_t most = 8;  // no message matters longer
    if (say_) say_(words);
    if (!is_drawn) return;
    notes_.push_back(words);
    if (notes_.size() > most) notes_.erase(notes_.begin());
  }

 protected:
  /// Opens the session. Units, reports and events go to the three functions below.
  [[nodiscard]] std::optional<Diagnostics> open_watching(WatchingOptions options);
  virtual void meet(const std::vector<UnitDetails>& units) = 0;
  virtual void on_report(int node, const Report& report) = 0;
  virtual void on_event(const SessionEvent& event) = 0;
  /// Reports why a unit cannot be used: which program has it, and what to do.
  struct InUse {
    std::string unit;
    Diagnostic problem;
  };
  [[nodiscard]] std::optional<InUse> heard_of_trouble(const SessionEvent& event);

  /// Prints pending messages.
  virtual void drain() = 0;
  /// The choice of a key, if it is one of these.
  template <typename Choices, typename Choose>
  bool choose_by(char key, const Choices& choices, const Choose& choose) {
    for (const auto& [its, choice] : choices) {
      if (its != key) continue;
      choose(choice);
      drain();
      return true;
    }
    return false;
  }

  std::unique_ptr<Watching> watching_;
  LineSink say_;
  std::vector<std::string> notes_;

 private:
  bool is_closing_ = false;
};

}  // namespace omnipar::cli
