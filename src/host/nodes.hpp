// All open event nodes and their reports, in order of time.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <utility>
#include <vector>

#include "host/claims.hpp"
#include "host/look.hpp"
#include "host/node.hpp"
#include "host/node_part.hpp"
#include "host/watch.hpp"
#include "omnipar/catalogue.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

class Nodes {
 public:
  /// `with_virtual`: also opens nodes created by programs (never our own). The catalogue must outlive the nodes.
  Nodes(os::Door& door, const Catalogue& catalogue, bool with_virtual) noexcept
      : door_(door), catalogue_(catalogue), with_virtual_(with_virtual) {}

  /// Opens a node if it is playable and not open yet. Returns its number, which is never reused, or nothing.
  [[nodiscard]] std::optional<int> open(const NodePath& where);
  /// With `yes`, grabs all nodes, each as soon as no button on it is pressed.
  void grab_all(bool yes) noexcept { grab_all_ = yes; }
  [[nodiscard]] bool grabs_all() const noexcept { return grab_all_; }
  /// The same for one node, until it is closed or released. Unknown numbers are ignored.
  void grab(int number, bool yes) noexcept;
  [[nodiscard]] bool is_grabbed(int number) const noexcept;
  /// True while a node is waiting to be grabbed because something on it is down.
  [[nodiscard]] bool waits_for_release() const noexcept;
  /// Tries to grab the nodes that should be grabbed and are not; returns those that still are not.
  [[nodiscard]] std::vector<int> waiting_for_grab() const;
  void try_grabs() noexcept;
  /// The open nodes that are not grabbed here, so that other programs receive their input as well, or exclusively.
  [[nodiscard]] std::vector<int> not_grabbed() const;
  /// Grabs a node although something on it is down, like Node.
  bool grab_with_something_down(int number) noexcept;
  /// The names of a node's pressed controls; its path.
  [[nodiscard]] std::vector<std::string> down(int number) const;
  [[nodiscard]] const std::string& path(int number) const;
  /// Skips nodes in play in another Omnipar process. Must be set before nodes are opened.
  void claim_units() { claims_.emplace(door_); }
  /// Claims the node's unit, which is in play here, or gives up the claim. Other sessions that grab nodes leave a
  /// claimed unit to this one, even while it is unplugged.
  void claim(int number);
  void give_up(int number);
  /// The nodes left to another session, to be tried again when it may have ended.
  [[nodiscard]] std::vector<NodePath> left() const;
  /// Called for each such node with the name of its unit and the program using it, instead of a message. Must be set
  /// before nodes are opened.
  void left_to_another(std::function<void(const std::string& unit, const std::string& opener)> tell) {
    tell_left_ = std::move(tell);
  }
  /// True if another program has grabbed the node.
  [[nodiscard]] bool is_grabbed_by_another(int number) const noexcept;
  /// The grab has ended: the next drain reads the current state of its controls.
  void resync(int number) noexcept;
  /// Other programs that have it open.
  [[nodiscard]] Openers openers(int number) const;
  /// True once a node could not be opened for lack of permission.
  [[nodiscard]] bool met_a_closed_door() const noexcept { return met_a_closed_door_; }

  /// Reads all units from their event nodes, even if raw reports contain more. Must be set before nodes are opened.
  void read_event_nodes_only() noexcept { event_nodes_only_ = true; }
  /// Opens only nodes for which this returns true. Must be set before nodes are opened.
  void only(std::function<bool(const Description&)> takes) { takes_ = std::move(takes); }
  /// Receives messages for people about how a unit is read. Must be set before nodes are opened.
  void say_to(std::function<void(const std::string&)> say) { say_ = std::move(say); }
  /// Reserves a number for a node that is not opened here; it is never used for another.
  [[nodiscard]] int next_number() noexcept { return ++last_number_; }

  /// Closes the node with that path. Returns its number, or nothing if it is not open.
  std::optional<int> close(const std::string& path);
  void close_all() noexcept;

  /// When something is due although no node is ready.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  /// The node's descriptor, to wait for; -1 for an unknown number.
  [[nodiscard]] int descriptor(int number) const noexcept;

  /// Marks the node as readable.
  void mark_ready(int number) noexcept;
  /// Reads the nodes that are ready. Reports are in order of time. Disconnected nodes are closed, and their numbers
  /// are in `gone`; `come` has the numbers of nodes opened in their place, if there is another way to read the
  /// unit.
  struct Batch {
    Reports said;
    std::vector<int> gone;
    std::vector<int> come;
  };
  [[nodiscard]] const Batch& drain(Time now);

  [[nodiscard]] const Description& description(int number) const;
  /// True if another open node has the same description.
  [[nodiscard]] bool has_double(int number) const;
  /// The number of the node with that path, or of the node that includes its input; nothing if it is not open.
  [[nodiscard]] std::optional<int> number_of(const std::string& path) const noexcept;
  /// The part that plays effects for this part of a node: itself, or part 0 if all parts share their motors.
  [[nodiscard]] NodePart output_of(NodePart part) const noexcept;
  /// The motors of a part of a node, as in Node; a missing node has none, and calls have no effect.
  [[nodiscard]] std::span<const std::uint16_t> motors(NodePart part) const noexcept;
  int put_effect(NodePart part, ff_effect& effect) noexcept;
  void erase_effect(NodePart part, int effect) noexcept;
  void play_effect(NodePart part, int effect, int times) noexcept;
  /// Its player LEDs, as in Node; a missing node has none.
  [[nodiscard]] int count_of_leds(NodePart part) const noexcept;
  void show_leds(NodePart part, std::uint32_t which) noexcept;
  /// The same as in Node.
  [[nodiscard]] std::vector<std::vector<std::uint8_t>> last_words(int number) const;
  /// True while a key or button of a grabbed node is down.
  [[nodiscard]] bool anything_down() const noexcept;
  /// True once after the kernel has lost events.
  [[nodiscard]] bool has_news_of_loss() noexcept { return std::exchange(has_lost_, false); }
  /// How often the kernel has lost events, on all nodes that were ever open.
  [[nodiscard]] std::uint64_t losses() const noexcept;

 private:
  struct Open {
    int number = 0;
    NodePath where;
    std::unique_ptr<Node> node;
    bool grab = false;
    std::vector<ClaimKeys> keys{};  ///< its own, and those of nodes that have joined it
    bool ready = false;
    std::vector<NodePath> joined{};  ///< other event nodes whose input it includes
  };

  [[nodiscard]] bool joins_another(const NodePath& where, std::unique_ptr<Node>& node);
  void open_otherwise(const Open& gone);
  void open_otherwise(const Open& gone, const NodePath& where);
  [[nodiscard]] std::vector<Open>::iterator at_path(const std::string& path) noexcept;

  [[nodiscard]] Node* find(int number) const noexcept;
  [[nodiscard]] bool is_left_to_another(const NodePath& where, const Node& node);
  [[nodiscard]] int claimant(const Node& node);
  [[nodiscard]] bool has_double(const Node& node) const;

  os::Door& door_;
  const Catalogue& catalogue_;
  bool with_virtual_;
  bool grab_all_ = false;
  bool met_a_closed_door_ = false;
  bool event_nodes_only_ = false;
  int last_number_ = 0;
  std::function<bool(const Description&)> takes_ = [](const Description&) { return true; };
  std::function<void(const std::string&)> say_ = [](const std::string&) {};
  std::function<void(const std::string&, const std::string&)> tell_left_;
  std::optional<Claims> claims_;          ///< nodes should be grabbed
  std::map<std::string, NodePath> left_;  ///< to another session, by path
  bool has_lost_ = false;
  std::uint64_t old_losses_ = 0;  ///< of nodes that are closed
  std::vector<Open> open_;
  std::size_t last_found_ = 0;  ///< the index that `mark_ready` found last
  Batch batch_;
};

}  // namespace omnipar::inline abi_0::host
