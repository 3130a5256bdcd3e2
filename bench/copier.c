/* The bare twin of the path from nodes to virtual devices: reads event nodes and writes whole packets to
 * copies of them made through uinput. It maps nothing, keeps nothing and promises nothing. With one node it
 * does not even wait for more than that one.
 * usage: copier /dev/input/eventN…   (prints "ready" when the copies are there; ends with a unit) */
#include <errno.h>
#include <fcntl.h>
#include <linux/uinput.h>
#include <poll.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { packet_room = 256, most_nodes = 16 };

static int has_bit(const unsigned char* bits, unsigned bit) { return bits[bit / 8] >> (bit % 8) & 1; }

static int fail(const char* what) {
  fprintf(stderr, "copier: %s: %s\n", what, strerror(errno));
  return -1;
}

static int copy_keys(int from, int to) {
  unsigned char keys[KEY_CNT / 8 + 1] = {0};
  if (ioctl(from, EVIOCGBIT(EV_KEY, sizeof(keys)), keys) < 0) return fail("keys");
  if (ioctl(to, UI_SET_EVBIT, EV_KEY) < 0) return fail("EV_KEY");
  for (unsigned key = 0; key < KEY_CNT; ++key)
    if (has_bit(keys, key) && ioctl(to, UI_SET_KEYBIT, key) < 0) return fail("UI_SET_KEYBIT");
  return 0;
}

static int copy_axes(int from, int to) {
  unsigned char axes[ABS_CNT / 8 + 1] = {0};
  if (ioctl(from, EVIOCGBIT(EV_ABS, sizeof(axes)), axes) < 0) return fail("axes");
  if (ioctl(to, UI_SET_EVBIT, EV_ABS) < 0) return fail("EV_ABS");
  for (unsigned axis = 0; axis < ABS_CNT; ++axis) {
    if (!has_bit(axes, axis)) continue;
    struct uinput_abs_setup setup = {.code = (unsigned short)axis};
    if (ioctl(from, EVIOCGABS(axis), &setup.absinfo) < 0) return fail("EVIOCGABS");
    if (ioctl(to, UI_ABS_SETUP, &setup) < 0) return fail("UI_ABS_SETUP");
  }
  return 0;
}

static int create(int from, int to) {
  struct uinput_setup setup = {.name = "bare copy"};
  setup.id.bustype = BUS_VIRTUAL;
  setup.id.vendor = 0x1209;
  setup.id.product = 0x000f;
  if (copy_keys(from, to) < 0 || copy_axes(from, to) < 0) return -1;
  if (ioctl(to, UI_DEV_SETUP, &setup) < 0) return fail("UI_DEV_SETUP");
  if (ioctl(to, UI_DEV_CREATE) < 0) return fail("UI_DEV_CREATE");
  return 0;
}

struct pair {
  int from, to;
  size_t held;
  struct input_event events[packet_room];
};

/* Reads once and passes on all whole packets; what is left of the last one waits for its end. 0 at the end. */
static int copy(struct pair* pair) {
  struct input_event* const events = pair->events;
  const ssize_t got = read(pair->from, events + pair->held, (packet_room - pair->held) * sizeof(events[0]));
  if (got < 0) return errno == ENODEV ? 0 : fail("read");
  pair->held += (size_t)got / sizeof(events[0]);
  size_t whole = pair->held;
  while (whole > 0 && events[whole - 1].type != EV_SYN) --whole;
  if (whole > 0 && write(pair->to, events, whole * sizeof(events[0])) < 0) return fail("write");
  memmove(events, events + whole, (pair->held - whole) * sizeof(events[0]));
  pair->held -= whole;
  if (pair->held == packet_room) pair->held = 0;
  return 1;
}

static int copy_all(struct pair* pairs, struct pollfd* polled, nfds_t count) {
  for (;;) {
    if (count > 1 && poll(polled, count, -1) < 0) return fail("poll");
    for (nfds_t i = 0; i < count; ++i) {
      if (count > 1 && polled[i].revents == 0) continue;
      const int result = copy(&pairs[i]);
      if (result <= 0) return result;
    }
  }
}

int main(int count, char** words) {
  static struct pair pairs[most_nodes];
  static struct pollfd polled[most_nodes];
  if (count < 2 || count > most_nodes + 1) return fprintf(stderr, "usage: copier /dev/input/eventN…\n"), 2;
  for (int i = 0; i < count - 1; ++i) {
    pairs[i].from = open(words[i + 1], O_RDONLY | O_CLOEXEC);
    pairs[i].to = open("/dev/uinput", O_RDWR | O_CLOEXEC);
    if (pairs[i].from < 0 || pairs[i].to < 0) return fail("open"), 1;
    if (create(pairs[i].from, pairs[i].to) < 0) return 1;
    polled[i] = (struct pollfd){.fd = pairs[i].from, .events = POLLIN};
  }
  puts("ready");
  fflush(stdout);
  return copy_all(pairs, polled, (nfds_t)(count - 1)) < 0 ? 1 : 0;
}
