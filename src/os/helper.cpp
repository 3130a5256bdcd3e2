#include "os/helper.hpp"

#include <linux/close_range.h>
#include <sys/prctl.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <initializer_list>

namespace omnipar::inline abi_0::os {

void become_helper(const char* name, int descriptor, int other) noexcept {
  ::setsid();
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) ::signal(signal, SIG_IGN);
  ::prctl(PR_SET_NAME, name);
  const auto low = static_cast<unsigned>(other < 0 ? descriptor : std::min(descriptor, other));
  const auto high = static_cast<unsigned>(std::max(descriptor, other));
  if (low > 0) ::close_range(0, low - 1, 0);
  if (high > low + 1) ::close_range(low + 1, high - 1, 0);
  ::close_range(high + 1, ~0U, 0);
}

}  // namespace omnipar::inline abi_0::os
