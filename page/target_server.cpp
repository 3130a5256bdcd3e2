#include "page/target_server.hpp"

#include <arpa/inet.h>
#include <sys/socket.h>

#include <chrono>
#include <condition_variable>
#include <csignal>
#include <cstdarg>
#include <map>
#include <memory>
#include <mutex>
#include <random>
#include <string_view>
#include <thread>
#include <utility>

#include <microhttpd.h>

namespace omnipar::page {
namespace {

/// One target at a time, and at the end where each shot lands. Polls four times a second.
constexpr const char* page_text = R"page(<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Omnipar: targets</title><style>
html,body{margin:0;height:100%;background:#101418;color:#e8e8e8;font-family:sans-serif;overflow:hidden;cursor:none}
canvas{position:fixed;inset:0;width:100vw;height:100vh}
#words{position:fixed;left:15%;right:15%;top:62%;text-align:center;font-size:2.4vmin;line-height:1.4}
#note{color:#f0c060}#full{color:#8090a0;font-size:2vmin}
</style></head><body><canvas id="c"></canvas>
<div id="words"><div id="line"></div><div id="note"></div><div id="full">Click here, or press f: full screen</div></div>
<script>
const canvas=document.getElementById('c'),pen=canvas.getContext('2d');let state={};
const full=()=>{if(document.documentElement.requestFullscreen)document.documentElement.requestFullscreen()};
document.addEventListener('click',full);
document.addEventListener('keydown',e=>{if(e.key==='f')full()});
function draw(){
  canvas.width=innerWidth;canvas.height=innerHeight;const w=canvas.width,h=canvas.height,m=Math.min(w,h);
  pen.strokeStyle='#303840';pen.strokeRect(.5,.5,w-1,h-1);
  for(const s of state.shots||[]){
    pen.strokeStyle='#5090d0';pen.lineWidth=2;pen.beginPath();pen.arc(s[0]*w,s[1]*h,m/60,0,7);pen.stroke();
    pen.strokeStyle='#f0c060';pen.lineWidth=4;pen.beginPath();pen.moveTo(s[0]*w,s[1]*h);pen.lineTo(s[2]*w,s[3]*h);pen.stroke();
    pen.fillStyle='#f0c060';pen.beginPath();pen.arc(s[2]*w,s[3]*h,m/200,0,7);pen.fill();}
  if(state.target){const x=state.target[0]*w,y=state.target[1]*h;
    pen.strokeStyle='#ffffff';pen.lineWidth=m/300;
    for(const r of[m/18,m/36]){pen.beginPath();pen.arc(x,y,r,0,7);pen.stroke()}
    pen.beginPath();pen.moveTo(x-m/14,y);pen.lineTo(x+m/14,y);pen.moveTo(x,y-m/14);pen.lineTo(x,y+m/14);pen.stroke();
    pen.fillStyle='#e04040';pen.beginPath();pen.arc(x,y,m/150,0,7);pen.fill()}
  document.getElementById('line').textContent=state.words||'';
  document.getElementById('note').textContent=state.note||'';
  document.getElementById('full').style.display=document.fullscreenElement?'none':''}
async function ask(){try{state=await(await fetch('state')).json()}catch(e){state={words:'The program has ended.'}}draw()}
addEventListener('resize',draw);setInterval(ask,250);ask();
</script></body></html>
)page";

constexpr const char* loopback = "127.0.0.1";
constexpr auto longest_request = std::chrono::seconds{5};
constexpr unsigned most_connections = 256;
constexpr std::size_t most_bytes = 16384;  // for a connection's headers and everything else

/// 40 bits, short enough to type on another computer.
std::string token() {
  constexpr std::string_view letters = "abcdefghijkmnpqrstuvwxyz23456789";
  static_assert(letters.size() == 32);
  std::random_device dice;
  std::string text;
  for (int i = 0; i < 8; ++i) text += letters[dice() % letters.size()];
  return text;
}

/// Serves one request per connection, within some seconds, so that no client can keep others from being answered.
/// Answers only requests with the secret path, and none that another site's page makes a browser send.
class Server {
 public:
  /// The port; 0 if it is not available.
  int start(int port) {
    sockaddr_in address{};
    address.sin_family = AF_INET;
    address.sin_port = htons(static_cast<std::uint16_t>(port));
    ::inet_pton(AF_INET, loopback, &address.sin_addr);
    // Signals are delivered to the calling thread.
    sigset_t all, before;
    sigfillset(&all);
    pthread_sigmask(SIG_BLOCK, &all, &before);
    daemon_ = MHD_start_daemon(MHD_USE_EPOLL_INTERNAL_THREAD, static_cast<std::uint16_t>(port), nullptr, nullptr,
                               answer, this, MHD_OPTION_SOCK_ADDR, reinterpret_cast<sockaddr*>(&address),
                               MHD_OPTION_CONNECTION_LIMIT, most_connections, MHD_OPTION_CONNECTION_MEMORY_LIMIT,
                               most_bytes, MHD_OPTION_CONNECTION_TIMEOUT,
                               static_cast<unsigned>(longest_request.count()), MHD_OPTION_NOTIFY_CONNECTION, note, this,
                               MHD_OPTION_EXTERNAL_LOGGER, be_silent, nullptr, MHD_OPTION_END);
    if (daemon_ != nullptr) reaper_ = std::thread{[this] { reap(); }};
    pthread_sigmask(SIG_SETMASK, &before, nullptr);
    if (daemon_ == nullptr) return 0;
    const MHD_DaemonInfo* its = MHD_get_daemon_info(daemon_, MHD_DAEMON_INFO_BIND_PORT);
    port_ = its != nullptr && its->port != 0 ? its->port : port;
    return port_;
  }

  [[nodiscard]] const std::string& path() const noexcept { return path_; }

  void show(const std::string& json) {
    const std::lock_guard lock{mutex_};
    state_ = json;
  }

  ~Server() {
    {
      const std::lock_guard lock{mutex_};
      ended_ = true;
      for (const auto& [connection, open] : open_) ::shutdown(open.socket, SHUT_RDWR);
    }
    wake_.notify_all();
    if (reaper_.joinable()) reaper_.join();
    if (daemon_ != nullptr) MHD_stop_daemon(daemon_);
  }

 private:
  using Clock = std::chrono::steady_clock;
  struct Open {
    int socket = -1;
    Clock::time_point since;
  };

  static void be_silent(void*, const char*, va_list) {}

  static void note(void* self, MHD_Connection* connection, void**, MHD_ConnectionNotificationCode what) {
    Server& server = *static_cast<Server*>(self);
    const std::lock_guard lock{server.mutex_};
    if (what == MHD_CONNECTION_NOTIFY_CLOSED) {
      server.open_.erase(connection);
      return;
    }
    const MHD_ConnectionInfo* its = MHD_get_connection_info(connection, MHD_CONNECTION_INFO_CONNECTION_FD);
    if (its != nullptr) server.open_[connection] = {its->connect_fd, Clock::now()};
  }

  /// Ends connections that have been open for too long, even if they still send.
  void reap() {
    constexpr auto pause = std::chrono::milliseconds{250};
    std::unique_lock lock{mutex_};
    while (!wake_.wait_for(lock, pause, [this] { return ended_; }))
      for (const auto& [connection, open] : open_)
        if (Clock::now() - open.since > longest_request) ::shutdown(open.socket, SHUT_RDWR);
  }

  /// Called once when the headers are complete; a body is not read.
  static MHD_Result answer(void* self, MHD_Connection* connection, const char* path, const char* method, const char*,
                           const char*, std::size_t*, void**) {
    return static_cast<Server*>(self)->answer(*connection, path, method);
  }

  MHD_Result answer(MHD_Connection& connection, const std::string& path, const std::string& method) {
    const auto header = [&](const char* name) {
      const char* const value = MHD_lookup_connection_value(&connection, MHD_HEADER_KIND, name);
      return value != nullptr ? std::string{value} : std::string{};
    };
    const auto is_ours = [this](const std::string& host) {
      return host == std::string{loopback} + ":" + std::to_string(port_) ||
             host == "localhost:" + std::to_string(port_);
    };
    const std::string origin = header("Origin");
    const bool from_elsewhere =
        !is_ours(header("Host")) || !(origin.empty() || (origin.starts_with("http://") && is_ours(origin.substr(7))));
    if (method != "GET" && method != "HEAD") return send(connection, MHD_HTTP_METHOD_NOT_ALLOWED, "text/plain", "");
    if (from_elsewhere) return send(connection, MHD_HTTP_FORBIDDEN, "text/plain", "");
    if (path == path_) return send(connection, MHD_HTTP_OK, "text/html; charset=utf-8", page_text);
    if (path != path_ + "state") return send(connection, MHD_HTTP_NOT_FOUND, "text/plain", "");
    std::unique_lock lock{mutex_};
    const std::string state = state_;
    lock.unlock();
    return send(connection, MHD_HTTP_OK, "application/json", state);
  }

  static MHD_Result send(MHD_Connection& connection, unsigned status, const char* type, const std::string& text) {
    MHD_Response* const response =
        MHD_create_response_from_buffer(text.size(), const_cast<char*>(text.data()), MHD_RESPMEM_MUST_COPY);
    if (response == nullptr) return MHD_NO;
    for (const auto& [name, value] : {std::pair{"Content-Type", type},
                                      {"Connection", "close"},
                                      {"Cache-Control", "no-store"},
                                      {"Referrer-Policy", "no-referrer"},
                                      {"X-Content-Type-Options", "nosniff"},
                                      {"X-Frame-Options", "DENY"}})
      MHD_add_response_header(response, name, value);
    const MHD_Result result = MHD_queue_response(&connection, status, response);
    MHD_destroy_response(response);
    return result;
  }

  MHD_Daemon* daemon_ = nullptr;
  int port_ = 0;
  const std::string path_ = "/" + token() + "/";
  std::mutex mutex_;
  std::condition_variable wake_;
  bool ended_ = false;
  std::map<MHD_Connection*, Open> open_;
  std::string state_ = "{}";
  std::thread reaper_;
};

std::unique_ptr<Server> running;

int start(int port, std::string& path) {
  running = std::make_unique<Server>();
  const int its = running->start(port);
  path = running->path();
  if (its == 0) running.reset();
  return its;
}

void show(const std::string& json) {
  if (running) running->show(json);
}

void stop() { running.reset(); }

}  // namespace
}  // namespace omnipar::page

const omnipar::page::TargetServer* omnipar_target_server() noexcept {
  static const omnipar::page::TargetServer server{omnipar::page::start, omnipar::page::show, omnipar::page::stop};
  return &server;
}
