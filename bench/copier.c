/* The bare twin of the path from a node to a virtual device: reads one event node and writes whole
 * packets to a copy of it made through uinput. It maps nothing, keeps nothing and promises nothing.
 * usage: copier /dev/input/eventN   (prints "ready" when the copy is there; ends with the unit) */
#include <errno.h>
#include <fcntl.h>
#include <linux/uinput.h>
#include <stdio.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

enum { packet_room = 256 };

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

/* Passes on all whole packets; what is left of the last one waits for its end. */
static int copy(int from, int to) {
  static struct input_event events[packet_room];
  size_t held = 0;
  for (;;) {
    const ssize_t got = read(from, events + held, (packet_room - held) * sizeof(events[0]));
    if (got < 0) return errno == ENODEV ? 0 : fail("read");
    held += (size_t)got / sizeof(events[0]);
    size_t whole = held;
    while (whole > 0 && events[whole - 1].type != EV_SYN) --whole;
    if (whole > 0 && write(to, events, whole * sizeof(events[0])) < 0) return fail("write");
    memmove(events, events + whole, (held - whole) * sizeof(events[0]));
    held -= whole;
    if (held == packet_room) held = 0;
  }
}

int main(int count, char** words) {
  if (count != 2) return fprintf(stderr, "usage: copier /dev/input/eventN\n"), 2;
  const int from = open(words[1], O_RDONLY | O_CLOEXEC);
  const int to = open("/dev/uinput", O_RDWR | O_CLOEXEC);
  if (from < 0 || to < 0) return fail("open"), 1;
  if (create(from, to) < 0) return 1;
  puts("ready");
  fflush(stdout);
  return copy(from, to) < 0 ? 1 : 0;
}
