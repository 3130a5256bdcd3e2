#include "os/helper.hpp"

#include <linux/close_range.h>
#include <sys/prctl.h>
#include <unistd.h>

#include <csignal>
#include <initializer_list>

namespace omnipar::os {

void become_helper(const char* name, int descriptor) noexcept {
  ::setsid();
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) ::signal(signal, SIG_IGN);
  ::prctl(PR_SET_NAME, name);
  ::close_range(0, static_cast<unsigned>(descriptor) - 1, 0);
  ::close_range(static_cast<unsigned>(descriptor) + 1, ~0U, 0);
}

}  // namespace omnipar::os
