// What players are told while a session goes on: which unit has which seat, and what is asked of them.
#pragma once

#include <functional>
#include <string>

#include "omnipar/engine.hpp"
#include "os/door.hpp"
#include "outlet/outlets.hpp"
#include "play/table.hpp"

namespace omnipar::play {

class Words {
 public:
  /// `say` gets a line at a time, as options have it; all must outlive this.
  Words(os::Door& door, const Engine& engine, const Table& table, const outlet::Outlets& outlets,
        const std::function<void(const std::string&)>& say)
      : door_(door), engine_(engine), table_(table), outlets_(outlets), say_(say) {}

  /// Asks the next player to press, if a seat is free.
  void ask_for_players() const;
  /// What the table tells.
  void seated(const std::string& seat, const std::string& unit, bool again) const;
  void beside(const std::string& seat, const std::string& unit, const std::string& other) const;
  void joined(const std::string& seat, const std::string& unit) const;
  void asked(const std::string& seat, const std::string& unit, Doubt doubt) const;
  /// "is not where it was, and others look just like it".
  [[nodiscard]] static std::string doubt_words(Doubt doubt);
  void lacks(const std::string& seat, const std::string& unit, const std::vector<std::string>& targets) const;
  void no_use(const std::string& unit) const;
  void no_seat(const std::string& unit) const;
  /// The household's unit of this seat is not there.
  void missing(const std::string& seat, const std::string& unit) const;
  /// Another program holds this node of the unit.
  void grabbed(const std::string& node, const Description& unit) const;

  /// The same without saying it, for what is also told otherwise.
  [[nodiscard]] std::string left(const std::string& seat, const std::string& unit) const;
  [[nodiscard]] std::string socket(const std::string& seat, const std::string& unit, Plug plug) const;

 private:
  [[nodiscard]] std::string who(const std::string& seat) const;
  [[nodiscard]] std::string device_words(int port) const;

  os::Door& door_;
  const Engine& engine_;
  const Table& table_;
  const outlet::Outlets& outlets_;
  const std::function<void(const std::string&)>& say_;
};

}  // namespace omnipar::play
