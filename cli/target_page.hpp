// The page of targets, served during the lifetime of this object.
#pragma once

#include <memory>
#include <string>

#include "omnipar/diagnostic.hpp"
#include "page/target_server.hpp"

#include <tl/expected.hpp>

namespace omnipar::cli {

class TargetPage {
 public:
  /// On a port of the loopback address; 0: any. Fails with `no-page`.
  [[nodiscard]] static tl::expected<std::unique_ptr<TargetPage>, Diagnostic> open(int port);
  ~TargetPage();
  TargetPage(const TargetPage&) = delete;
  TargetPage& operator=(const TargetPage&) = delete;

  void show(const std::string& json) const { server_->show(json); }
  [[nodiscard]] const std::string& address() const noexcept { return address_; }

 private:
  TargetPage(const page::TargetServer* server, std::string address) : server_(server), address_(std::move(address)) {}
  const page::TargetServer* server_;
  std::string address_;
};

}  // namespace omnipar::cli
