#include "target_page.hpp"

#include <fmt/format.h>

#include "beside.hpp"

namespace omnipar::cli {

tl::expected<std::unique_ptr<TargetPage>, Diagnostic> TargetPage::open(int port) {
  const auto offered =
      reinterpret_cast<decltype(&omnipar_target_server)>(symbol_beside("libomnipar-page.so", "omnipar_target_server"));
  if (offered == nullptr)
    return tl::unexpected(Diagnostic{"no-page", Severity::error, "the page server library cannot be loaded", "",
                                     "install libomnipar-page.so with the program, and its dependency libmicrohttpd; "
                                     "without --page the terminal shows the targets"});
  std::string path;
  const int its = offered()->start(port, path);
  if (its == 0)
    return tl::unexpected(Diagnostic{"no-page", Severity::error,
                                     fmt::format("the page cannot be served on port {} of this computer", port), "",
                                     "omit the port, or choose another one"});
  return std::unique_ptr<TargetPage>{new TargetPage{offered(), fmt::format("http://127.0.0.1:{}{}", its, path)}};
}

TargetPage::~TargetPage() { server_->stop(); }

}  // namespace omnipar::cli
