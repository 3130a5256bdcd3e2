#include "made_units.hpp"

#include <dirent.h>
#include <fcntl.h>
#include <linux/uhid.h>
#include <linux/uinput.h>
#include <poll.h>
#include <sys/ioctl.h>
#include <sys/stat.h>
#include <sys/sysmacros.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <iterator>
#include <span>
#include <sstream>
#include <stdexcept>

namespace omnipar::test {
namespace {

[[noreturn]] void give_up(const std::string& what) { throw std::runtime_error(what + ": " + std::strerror(errno)); }

int opened(const std::string& path, int flags) {
  const int file = ::open(path.c_str(), flags | O_CLOEXEC);
  if (file < 0) give_up(path);
  return file;
}

void write_text(const std::string& path, const std::string& text) {
  const int file = opened(path, O_WRONLY);
  const bool good = ::write(file, text.data(), text.size()) == static_cast<ssize_t>(text.size());
  ::close(file);
  if (!good) give_up(path);
}

}  // namespace

void sleep_ms(int ms) { ::usleep(static_cast<useconds_t>(ms) * 1000); }

// -- reports and descriptors ------------------------------------------------------------------------

std::vector<std::uint8_t> PadReport::bytes() const {
  return {static_cast<std::uint8_t>(buttons & 0xff), static_cast<std::uint8_t>(buttons >> 8), hat, x, y, rx, ry};
}

const std::vector<std::uint8_t>& pad_descriptor() {
  static const std::vector<std::uint8_t> bytes{
      0x05, 0x01, 0x09, 0x05, 0xa1, 0x01,                                      // a game pad:
      0x05, 0x09, 0x19, 0x01, 0x29, 0x10, 0x15, 0x00, 0x25, 0x01,              // buttons 1 to 16,
      0x95, 0x10, 0x75, 0x01, 0x81, 0x02,                                      //   a bit each
      0x05, 0x01, 0x09, 0x39, 0x15, 0x00, 0x25, 0x07, 0x35, 0x00, 0x46, 0x3b,  // a hat of eight
      0x01, 0x65, 0x14, 0x75, 0x04, 0x95, 0x01, 0x81, 0x42,                    //   directions
      0x65, 0x00, 0x75, 0x04, 0x95, 0x01, 0x81, 0x03,                          // four bits unused
      0x09, 0x30, 0x09, 0x31, 0x09, 0x33, 0x09, 0x34, 0x15, 0x00, 0x26, 0xff,  // X, Y, Rx, Ry,
      0x00, 0x46, 0xff, 0x00, 0x75, 0x08, 0x95, 0x04, 0x81, 0x02,              //   0..255
      0xc0};
  return bytes;
}

// -- uhid ---------------------------------------------------------------------------------------------

UhidUnit::UhidUnit(const std::string& name, const std::string& serial, std::uint16_t product,
                   const std::vector<std::uint8_t>& descriptor, const std::string& phys)
    : name_(name), file_(opened("/dev/uhid", O_RDWR)) {
  uhid_event event{};
  event.type = UHID_CREATE2;
  std::memcpy(event.u.create2.name, name.c_str(), name.size() + 1);
  std::memcpy(event.u.create2.phys, phys.c_str(), phys.size() + 1);
  std::memcpy(event.u.create2.uniq, serial.c_str(), serial.size() + 1);
  event.u.create2.bus = BUS_BLUETOOTH;
  event.u.create2.vendor = 0x1209;
  event.u.create2.product = product;
  event.u.create2.rd_size = static_cast<std::uint16_t>(descriptor.size());
  std::ranges::copy(descriptor, event.u.create2.rd_data);
  if (::write(file_, &event, sizeof(event)) < 0) give_up("UHID_CREATE2");
}

UhidUnit::~UhidUnit() { ::close(file_); }

bool UhidUnit::wait_for_output(const std::vector<std::uint8_t>& report) const { return wait_for_outputs({report}); }

bool UhidUnit::wait_for_outputs(std::vector<std::vector<std::uint8_t>> reports) const {
  constexpr int ms = 5000;
  pollfd ready{file_, POLLIN, 0};
  uhid_event event{};
  while (!reports.empty() && ::poll(&ready, 1, ms) > 0 && ::read(file_, &event, sizeof(event)) > 0) {
    const uhid_output_req& output = event.u.output;
    if (event.type != UHID_OUTPUT) continue;
    const auto sent = std::ranges::find_if(reports, [said = std::span{output.data, output.size}](const auto& report) {
      return std::ranges::equal(report, said);
    });
    if (sent != reports.end()) reports.erase(sent);
  }
  return reports.empty();
}

void UhidUnit::send_bytes(const std::vector<std::uint8_t>& bytes) const {
  uhid_event event{};
  event.type = UHID_INPUT2;
  event.u.input2.size = static_cast<std::uint16_t>(bytes.size());
  std::ranges::copy(bytes, event.u.input2.data);
  if (::write(file_, &event, sizeof(event)) < 0) give_up("UHID_INPUT2");
}

UhidPad::UhidPad(const std::string& name, const std::string& serial, const std::string& phys)
    : UhidUnit(name, serial, 2, pad_descriptor(), phys) {}

void press(const UhidUnit& keyboard, Key key, int held_ms) {
  keyboard.send_bytes({key.modifier, 0, key.usage, 0, 0, 0, 0, 0});
  sleep_ms(held_ms);
  keyboard.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
  sleep_ms(60);
}

std::vector<std::uint8_t> keyboard_descriptor(std::uint8_t report_id) {
  std::vector<std::uint8_t> bytes{0x05, 0x01, 0x09, 0x06, 0xa1, 0x01};  // a keyboard:
  if (report_id != 0) bytes.insert(bytes.end(), {0x85, report_id});
  bytes.insert(bytes.end(),
               {0x05, 0x07, 0x19, 0xe0, 0x29, 0xe7, 0x15, 0x00, 0x25, 0x01, 0x75, 0x01,
                0x95, 0x08, 0x81, 0x02, 0x95, 0x01, 0x75, 0x08, 0x81, 0x03,  // modifiers, a bit each; a byte unused
                0x95, 0x06, 0x75, 0x08, 0x15, 0x00, 0x25, 0x65, 0x05, 0x07, 0x19, 0x00,
                0x29, 0x65, 0x81, 0x00, 0xc0});  // six keys
  return bytes;
}

std::vector<std::uint8_t> pointer_descriptor(std::uint8_t report_id) {
  return {0x05, 0x01, 0x09, 0x02, 0xa1, 0x01, 0x85, report_id, 0x09, 0x01, 0xa1, 0x00,              // a pointer:
          0x05, 0x09, 0x19, 0x01, 0x29, 0x03, 0x15, 0x00,      0x25, 0x01, 0x95, 0x03, 0x75, 0x01,  // three buttons
          0x81, 0x02, 0x95, 0x05, 0x75, 0x01, 0x81, 0x03,                                           // five bits unused
          0x05, 0x01, 0x09, 0x30, 0x09, 0x31, 0x15, 0x00,      0x26, 0xff, 0x7f, 0x75, 0x10, 0x95,
          0x02, 0x81, 0x02,  // X, Y
          0xc0, 0xc0};
}

// -- gadget ---------------------------------------------------------------------------------------------

GadgetUnit::GadgetUnit(const std::string& id, const std::string& name, const std::string& serial, std::uint16_t product,
                       const std::vector<std::vector<std::uint8_t>>& interfaces, std::size_t report_length)
    : name_(name), folder_("/sys/kernel/config/usb_gadget/" + id) {
  const auto folder = [this](const std::string& path) {
    if (::mkdir((folder_ + path).c_str(), 0755) < 0) give_up(folder_ + path);
  };
  folder("");
  write_text(folder_ + "/idVendor", "0x1209");
  write_text(folder_ + "/idProduct", std::to_string(product));
  folder("/strings/0x409");
  write_text(folder_ + "/strings/0x409/product", name);
  if (!serial.empty()) write_text(folder_ + "/strings/0x409/serialnumber", serial);
  folder("/configs/c.1");
  for (std::size_t i = 0; i < interfaces.size(); ++i) {
    const std::string function = "/hid.usb" + std::to_string(i);
    functions_.push_back(folder_ + "/functions" + function);
    folder("/functions" + function);
    write_text(functions_.back() + "/report_length", std::to_string(report_length));
    write_text(functions_.back() + "/report_desc", {interfaces[i].begin(), interfaces[i].end()});
    if (::symlink(functions_.back().c_str(), (folder_ + "/configs/c.1" + function).c_str()) < 0) give_up("symlink");
  }
}

GadgetUnit::~GadgetUnit() {
  if (plugged_) pull_out();
  for (std::size_t i = 0; i < functions_.size(); ++i)
    ::unlink((folder_ + "/configs/c.1/hid.usb" + std::to_string(i)).c_str());
  ::rmdir((folder_ + "/configs/c.1").c_str());
  for (const std::string& function : functions_) ::rmdir(function.c_str());
  for (const char* path : {"/strings/0x409", ""}) ::rmdir((folder_ + path).c_str());
}

void GadgetUnit::plug_into(int socket) {
  write_text(folder_ + "/UDC", "dummy_udc." + std::to_string(socket));
  plugged_ = true;
  for (const std::string& function : functions_) {
    const std::string numbers = contents(function + "/dev");
    const std::string node =
        "/dev/hidg" + numbers.substr(numbers.find(':') + 1, numbers.find('\n') - numbers.find(':') - 1);
    for (int tries = 0; tries < 100 && ::access(node.c_str(), W_OK) != 0; ++tries) sleep_ms(20);
    files_.push_back(opened(node, O_RDWR | O_NONBLOCK));
  }
}

void GadgetUnit::pull_out() {
  for (const int file : files_) ::close(file);
  files_.clear();
  write_text(folder_ + "/UDC", "\n");
  plugged_ = false;
}

void GadgetUnit::send_bytes(std::size_t interface, const std::vector<std::uint8_t>& bytes) const {
  for (int tries = 0; tries < 200; ++tries) {
    if (::write(files_.at(interface), bytes.data(), bytes.size()) >= 0) return sleep_ms(5);
    if (errno != EAGAIN) give_up("hidg");
    sleep_ms(5);
  }
  give_up("hidg: nobody takes the report");
}

void GadgetUnit::bind_again(const std::vector<int>& order) const {
  // "…/usb2/2-1/2-1:1.0/0003:…": the device's own name is the last part before the colon
  const std::string node = nodes_named(name_).front();
  std::array<char, 4096> path{};
  const std::string link = "/sys/class/input/" + node.substr(node.rfind('/') + 1);
  if (::realpath(link.c_str(), path.data()) == nullptr) give_up(link);
  const std::string place = path.data();
  const std::size_t colon = place.find(':', place.find("/usb"));
  const std::size_t slash = place.rfind('/', colon);
  const std::string head = place.substr(slash + 1, colon - slash - 1) + ":1.";
  for (const char* what : {"unbind", "bind"})
    for (const int number : order)
      write_text(std::string{"/sys/bus/usb/drivers/usbhid/"} + what, head + std::to_string(number));
}

// -- uinput ---------------------------------------------------------------------------------------------

UinputPad::UinputPad(const std::string& name, int fuzz, const std::vector<int>& forces)
    : name_(name), file_(opened("/dev/uinput", O_RDWR | O_NONBLOCK)) {
  ::ioctl(file_, UI_SET_EVBIT, EV_KEY);
  ::ioctl(file_, UI_SET_EVBIT, EV_ABS);
  for (int button = BTN_SOUTH; button <= BTN_THUMBR; ++button) ::ioctl(file_, UI_SET_KEYBIT, button);
  for (const int axis : {ABS_X, ABS_Y, ABS_RX, ABS_RY}) {
    uinput_abs_setup setup{};
    setup.code = static_cast<std::uint16_t>(axis);
    setup.absinfo.minimum = -32768;
    setup.absinfo.maximum = 32767;
    setup.absinfo.fuzz = fuzz;
    ::ioctl(file_, UI_ABS_SETUP, &setup);
  }
  uinput_setup setup{};
  setup.id = {BUS_USB, 0x1209, 4, 1};
  if (!forces.empty()) ::ioctl(file_, UI_SET_EVBIT, EV_FF);
  for (const int force : forces) ::ioctl(file_, UI_SET_FFBIT, force);
  if (!forces.empty()) setup.ff_effects_max = 16;
  name.copy(setup.name, sizeof(setup.name) - 1);
  if (::ioctl(file_, UI_DEV_SETUP, &setup) < 0 || ::ioctl(file_, UI_DEV_CREATE) < 0) give_up("uinput");
}

UinputPad::UinputPad(const std::string& name, std::initializer_list<int> keys)
    : name_(name), file_(opened("/dev/uinput", O_RDWR | O_NONBLOCK)) {
  ::ioctl(file_, UI_SET_EVBIT, EV_KEY);
  for (const int code : keys) ::ioctl(file_, UI_SET_KEYBIT, code);
  uinput_setup setup{};
  setup.id = {BUS_USB, 0x1209, 4, 1};
  name.copy(setup.name, sizeof(setup.name) - 1);
  if (::ioctl(file_, UI_DEV_SETUP, &setup) < 0 || ::ioctl(file_, UI_DEV_CREATE) < 0) give_up("uinput");
}

UinputPad::~UinputPad() {
  if (file_ >= 0) ::close(file_);
}

void UinputPad::send(std::uint16_t type, std::uint16_t code, std::int32_t value) const {
  input_event event{};
  event.type = type;
  event.code = code;
  event.value = value;
  if (::write(file_, &event, sizeof(event)) < 0) give_up("uinput");
}

void MotorPad::pump() {
  input_event event{};
  while (::read(descriptor(), &event, sizeof(event)) > 0) {
    if (event.type == EV_UINPUT && event.code == UI_FF_UPLOAD) {
      uinput_ff_upload upload{};
      upload.request_id = static_cast<std::uint32_t>(event.value);
      ::ioctl(descriptor(), UI_BEGIN_FF_UPLOAD, &upload);
      effects_[upload.effect.id].what = upload.effect;
      ::ioctl(descriptor(), UI_END_FF_UPLOAD, &upload);
    } else if (event.type == EV_UINPUT && event.code == UI_FF_ERASE) {
      uinput_ff_erase erase{};
      erase.request_id = static_cast<std::uint32_t>(event.value);
      ::ioctl(descriptor(), UI_BEGIN_FF_ERASE, &erase);
      effects_.erase(static_cast<int>(erase.effect_id));
      ::ioctl(descriptor(), UI_END_FF_ERASE, &erase);
    } else if (event.type == EV_FF) {
      effects_[event.code].times = event.value;
    }
  }
}

// -- nodes ------------------------------------------------------------------------------------------------

std::vector<std::string> nodes_named(const std::string& name) {
  std::vector<int> numbers;
  for (const std::string& entry : names_in("/sys/class/input"))
    if (entry.starts_with("event") && contents("/sys/class/input/" + entry + "/device/name") == name + "\n")
      numbers.push_back(std::atoi(entry.c_str() + 5));
  std::ranges::sort(numbers);
  std::vector<std::string> nodes;
  for (const int number : numbers) nodes.push_back("/dev/input/event" + std::to_string(number));
  return nodes;
}

bool wait_for_nodes(const std::string& name, std::size_t count) {
  int quiet = 0;
  std::size_t before = ~std::size_t{0};
  for (int tries = 0; tries < 500 && quiet < 8; ++tries) {
    const std::size_t now = nodes_named(name).size();
    quiet = now == count && now == before ? quiet + 1 : 0;
    before = now;
    sleep_ms(20);
  }
  return before == count;
}

std::string node_of(const std::string& name) {
  REQUIRE(wait_for_nodes(name, 1));
  return nodes_named(name).front();
}

bool all_is_gone() {
  for (int tries = 0; tries < 100; ++tries, sleep_ms(20))
    if (nodes_named(port_1).empty() && process_named("omnipar-keeper") == -1) return true;
  return false;
}

NodeReader::NodeReader(const std::string& node) : file_(opened(node, O_RDONLY | O_NONBLOCK)) {}
NodeReader::~NodeReader() { ::close(file_); }

bool NodeReader::drain() {
  std::array<input_event, 64> events{};
  for (;;) {
    const ssize_t got = ::read(file_, events.data(), sizeof(events));
    if (got < 0) return errno == EAGAIN;
    for (std::size_t i = 0; i < static_cast<std::size_t>(got) / sizeof(input_event); ++i) {
      const input_event& event = events.at(i);
      if (event.type == EV_SYN && event.code == SYN_DROPPED) lost_ = true;
      if (lost_ && event.type == EV_SYN && event.code == SYN_REPORT) ask_for_state();
      if (lost_) continue;
      events_.push_back(event);
      if (event.type == EV_KEY || event.type == EV_ABS) note(event);
    }
  }
}

void NodeReader::note(const input_event& event) {
  const auto known =
      std::ranges::find_if(state_, [&](const input_event& e) { return e.type == event.type && e.code == event.code; });
  if (known == state_.end())
    state_.push_back(event);
  else
    known->value = event.value;
}

/// As every game must do after it has been too slow for the kernel.
void NodeReader::ask_for_state() {
  lost_ = false;
  std::array<unsigned char, KEY_MAX / 8 + 1> keys{};
  ::ioctl(file_, EVIOCGKEY(keys.size()), keys.data());
  input_event event{};
  event.type = EV_KEY;
  for (event.code = 0; event.code < KEY_MAX; ++event.code) {
    event.value = keys.at(event.code / 8) >> event.code % 8 & 1;
    if (event.value != value(EV_KEY, event.code)) note(event);
  }
  event.type = EV_ABS;
  for (event.code = 0; event.code < ABS_MT_SLOT; ++event.code) {
    input_absinfo axis{};
    if (::ioctl(file_, EVIOCGABS(event.code), &axis) < 0) continue;
    event.value = axis.value;
    if (event.value != value(EV_ABS, event.code)) note(event);
  }
}

std::int32_t NodeReader::value(std::uint16_t type, std::uint16_t code) const {
  for (const input_event& e : state_)
    if (e.type == type && e.code == code) return e.value;
  return 0;
}

int NodeReader::held() const {
  return static_cast<int>(std::ranges::count_if(state_, [](const input_event& e) { return e.value != 0; }));
}

bool NodeReader::wait_for(std::uint16_t type, std::uint16_t code, std::int32_t value_wanted, int ms) {
  for (int waited = 0;; waited += 5) {
    const bool there = drain();
    if (value(type, code) == value_wanted) return true;
    if (!there || waited >= ms) return false;
    pollfd waiting{file_, POLLIN, 0};
    ::poll(&waiting, 1, 5);
  }
}

bool NodeReader::wait_for_end(int ms) {
  for (int waited = 0; waited < ms; waited += 5) {
    if (!drain()) return true;
    sleep_ms(5);
  }
  return false;
}

// -- programs ---------------------------------------------------------------------------------------------

Program::Program(const std::vector<std::string>& command) {
  std::vector<char*> words;
  for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
  words.push_back(nullptr);
  int ends[2];
  if (::pipe2(ends, O_CLOEXEC | O_NONBLOCK) < 0) give_up("pipe");
  process_ = ::fork();
  if (process_ < 0) give_up("fork");
  if (process_ == 0) {
    ::dup2(ends[1], 1);
    ::dup2(ends[1], 2);
    ::execvp(words[0], words.data());
    ::_exit(127);
  }
  ::close(ends[1]);
  pipe_ = ends[0];
}

Program::~Program() {
  if (process_ > 0) {
    signal(SIGKILL);
    wait_for_end();
  }
  ::close(pipe_);
}

void Program::collect() {
  std::array<char, 4096> text{};
  for (ssize_t got = ::read(pipe_, text.data(), text.size()); got > 0; got = ::read(pipe_, text.data(), text.size()))
    output_.append(text.data(), static_cast<std::size_t>(got));
}

const std::string& Program::output() {
  collect();
  return output_;
}

bool Program::wait_for(const std::string& text, int times, int ms) {
  for (int waited = 0; waited <= ms; waited += 10) {
    const bool over = has_ended();
    int found = 0;
    for (std::size_t at = output_.find(text); at != std::string::npos; at = output_.find(text, at + 1)) ++found;
    if (found >= times) return true;
    if (over) return false;
    sleep_ms(10);
  }
  return false;
}

void Program::signal(int number) const { ::kill(process_, number); }

bool Program::has_ended() {
  int status = 0;
  if (process_ > 0 && ::waitpid(process_, &status, WNOHANG) == process_) {
    process_ = -1;
    status_ = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
  }
  collect();
  return process_ < 0;
}

int Program::wait_for_end(int ms) {
  for (int waited = 0; waited <= ms; waited += 10) {
    if (has_ended()) return status_;
    sleep_ms(10);
  }
  return -1;
}

void tap(const UhidPad& pad) {
  pad.send({south});
  sleep_ms(60);
  pad.send({});
}

void tap(const UinputPad& pad) {
  for (const int value : {1, 0}) {
    pad.send(EV_KEY, BTN_SOUTH, value);
    pad.sync();
    sleep_ms(50);
  }
}

Playing::~Playing() {
  if (process() <= 0) return;
  signal(SIGTERM);
  wait_for_end();
  wait_for_nodes(port_1, 0);
}

void Playing::expect(const std::string& text, int times) {
  const bool said = wait_for(text, times);
  INFO(output());
  REQUIRE(said);
}

std::vector<std::string> Playing::command(const std::string& words) {
  std::vector<std::string> command{"/box/omnipar", "play"};
  std::istringstream rest{words};
  for (std::string word; rest >> word;) command.push_back(word);
  return command;
}

void Playing::wait_for_units(const std::vector<std::string>& names) {
  for (const std::string& name : names) {
    const auto twins = static_cast<std::size_t>(std::count(names.begin(), names.end(), name));
    REQUIRE(wait_for_nodes(name, twins));
  }
}

std::vector<std::string> as_guest(const std::string& command) {
  std::ofstream{"/etc/passwd"} << "root:x:0:0::/:/bin/sh\nguest:x:1000:1000::/tmp:/bin/sh\n";
  return {"su", "-s", "/bin/sh", "-c", command, "guest"};
}

std::vector<std::string> run_by(bool root, const std::string& command) {
  return root ? std::vector<std::string>{"sh", "-c", command} : as_guest(command);
}

namespace {
constexpr const char* open_nodes_rules = "/etc/udev/rules.d/98-open-nodes.rules";
}

OpenNodes::OpenNodes() {
  std::ofstream{open_nodes_rules} << "SUBSYSTEM==\"input\", KERNEL==\"event*\", MODE=\"0666\"\n";
  REQUIRE(std::system("udevadm control --reload && chmod 0666 /dev/uinput && rm -rf /tmp/guest && mkdir /tmp/guest && "
                      "chmod 0777 /tmp/guest") == 0);
}

OpenNodes::~OpenNodes() {
  ::unlink(open_nodes_rules);
  (void)std::system("udevadm control --reload; chmod 0600 /dev/uinput");
}

}  // namespace omnipar::test
