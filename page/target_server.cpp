#include "page/target_server.hpp"

#include <csignal>
#include <memory>
#include <mutex>
#include <thread>

#include <httplib.h>

namespace omnipar::page {
namespace {

/// One target at a time, and at the end where each shot lands. Asks four times a second what to show.
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

class Server {
 public:
  int start(int port) {
    server_.Get("/", [](const httplib::Request&, httplib::Response& answer) {
      answer.set_content(page_text, "text/html; charset=utf-8");
    });
    server_.Get("/state", [this](const httplib::Request&, httplib::Response& answer) {
      const std::lock_guard lock{mutex_};
      answer.set_header("Cache-Control", "no-store");
      answer.set_content(state_, "application/json");
    });
    // Nobody else may serve on the same port at the same time.
    server_.set_socket_options([](socket_t socket) {
      const int yes = 1;
      setsockopt(socket, SOL_SOCKET, SO_REUSEADDR, &yes, sizeof yes);
    });
    constexpr const char* loopback = "127.0.0.1";
    if (port == 0)
      port = server_.bind_to_any_port(loopback);
    else if (!server_.bind_to_port(loopback, port))
      port = 0;
    if (port <= 0) return 0;
    // Signals are for whoever waits for them in the thread that has called us.
    sigset_t all, before;
    sigfillset(&all);
    pthread_sigmask(SIG_BLOCK, &all, &before);
    thread_ = std::thread{[this] { server_.listen_after_bind(); }};
    pthread_sigmask(SIG_SETMASK, &before, nullptr);
    return port;
  }

  void show(const std::string& json) {
    const std::lock_guard lock{mutex_};
    state_ = json;
  }

  ~Server() {
    server_.stop();
    if (thread_.joinable()) thread_.join();
  }

 private:
  httplib::Server server_;
  std::mutex mutex_;
  std::string state_ = "{}";
  std::thread thread_;
};

std::unique_ptr<Server> running;

int start(int port) {
  running = std::make_unique<Server>();
  const int its = running->start(port);
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
