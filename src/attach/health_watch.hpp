// Detects jittering axes and bouncing switches while listening to a unit.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/report.hpp"

namespace omnipar::inline abi_0::attach {

class HealthWatch {
 public:
  explicit HealthWatch(Attachment attachment) : attachment_(std::move(attachment)) {}

  /// Reports in order of time.
  void feed(const Report& report);

  /// The findings about this control.
  [[nodiscard]] bool bounces(Code code) const;
  [[nodiscard]] bool jitters(Code code) const;
  /// A sentence for each control that jitters or bounces, in the order of the unit's controls.
  [[nodiscard]] std::vector<std::string> notes() const;

 private:
  struct Axis {
    std::int32_t low = 0, high = 0, last = 0;
    int direction = 0;
    int reversals = 0;
  };
  struct Switch {
    Time first_of_burst;
    Time last;
    int changes = 0;  ///< of the burst
    Duration longest_burst{0};
  };

  /// The jitter as a fraction of its range; 0 if there is none.
  [[nodiscard]] double jitter_of(const Control& control) const;
  void follow(Axis& axis, std::int32_t value) const noexcept;
  void follow(Switch& contact, Time time) const noexcept;

  Attachment attachment_;
  std::map<Code, Axis> axes_;
  std::map<Code, Switch> switches_;
};

}  // namespace omnipar::inline abi_0::attach
