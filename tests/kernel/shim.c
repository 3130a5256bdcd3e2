/* Preloaded into a program under test: makes its n-th call of the system fail, be interrupted or come
 * back short, also when libevdev or libudev makes it.
 * OMNIPAR_SHIM_AT=n  OMNIPAR_SHIM_HOW=fail|interrupt|short
 * OMNIPAR_SHIM_REFUSE=FILE  while there is such a file, the first process cannot write events.
 * OMNIPAR_SHIM_SHUT=FILE    while there is such a file, raw HID nodes cannot be read.
 * OMNIPAR_SHIM_COUNT=FILE  writes the number of calls there when the first process ends. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <errno.h>
#include <fcntl.h>
#include <poll.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/epoll.h>
#include <sys/socket.h>
#include <sys/types.h>
#include <unistd.h>

static long calls, at = -1;
static char how;
static pid_t first;

static long setting(const char* name) {
  const char* text = getenv(name);
  return text != NULL ? strtol(text, NULL, 10) : -1;
}

__attribute__((constructor)) static void begin(void) {
  const char* word = getenv("OMNIPAR_SHIM_HOW");
  at = setting("OMNIPAR_SHIM_AT");
  how = word != NULL ? word[0] : 'f';
  first = getpid();
}

__attribute__((destructor)) static void end(void) {
  const char* file = getenv("OMNIPAR_SHIM_COUNT");
  if (file == NULL || getpid() != first) return;
  FILE* out = fopen(file, "we");
  if (out == NULL) return;
  fprintf(out, "%ld\n", calls);
  fclose(out);
}

/* True if this call is the one; errno is set then. */
static int hit(void) {
  if (++calls != at || how == 's') return 0;
  errno = how == 'i' ? EINTR : EIO;
  return 1;
}

/* As hit, for calls that cannot be interrupted. */
static int hit_hard(void) { return hit() && how == 'f'; }

/* The part of `size` that this call may move: whole events, at least one. */
static size_t part_of(size_t size) {
  const size_t event = 24;
  if (calls != at || how != 's' || size < 2 * event) return size;
  return size / 2 / event * event;
}

#define REAL(name) __typeof__(&name) real = (__typeof__(&name))dlsym(RTLD_NEXT, #name)

int open(const char* path, int flags, ...) {
  REAL(open);
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & O_CREAT) != 0 ? va_arg(more, mode_t) : 0;
  va_end(more);
  return hit() ? -1 : real(path, flags, mode);
}

int openat(int folder, const char* path, int flags, ...) {
  REAL(openat);
  va_list more;
  va_start(more, flags);
  const mode_t mode = (flags & O_CREAT) != 0 ? va_arg(more, mode_t) : 0;
  va_end(more);
  return hit_hard() ? -1 : real(folder, path, flags, mode);
}

int ioctl(int file, unsigned long request, ...) {
  REAL(ioctl);
  va_list more;
  va_start(more, request);
  void* argument = va_arg(more, void*);
  va_end(more);
  return hit() ? -1 : real(file, request, argument);
}

/* True if a raw HID node is not to be read. */
static int shut(int file) {
  const char* sign = getenv("OMNIPAR_SHIM_SHUT");
  if (sign == NULL || access(sign, F_OK) != 0) return 0;
  char link[64];
  char path[64] = "";
  snprintf(link, sizeof(link), "/proc/self/fd/%d", file);
  if (readlink(link, path, sizeof(path) - 1) < 0 || strstr(path, "hidraw") == NULL) return 0;
  errno = EIO;
  return 1;
}

ssize_t read(int file, void* into, size_t size) {
  REAL(read);
  if (shut(file)) return -1;
  return hit() ? -1 : real(file, into, part_of(size));
}

/* True if a write of whole events is to be refused. */
static int refused(size_t size) {
  const size_t event = 24;
  const char* file = getenv("OMNIPAR_SHIM_REFUSE");
  if (file == NULL || size == 0 || size % event != 0 || getpid() != first || access(file, F_OK) != 0) return 0;
  errno = EAGAIN;
  return 1;
}

ssize_t write(int file, const void* from, size_t size) {
  REAL(write);
  if (refused(size)) return -1;
  return hit() ? -1 : real(file, from, part_of(size));
}

int ppoll(struct pollfd* files, nfds_t count, const struct timespec* time, const sigset_t* mask) {
  REAL(ppoll);
  return hit() ? -1 : real(files, count, time, mask);
}

int epoll_create1(int flags) {
  REAL(epoll_create1);
  return hit_hard() ? -1 : real(flags);
}

int epoll_ctl(int waiter, int what, int file, struct epoll_event* event) {
  REAL(epoll_ctl);
  return hit_hard() ? -1 : real(waiter, what, file, event);
}

int epoll_pwait2(int waiter, struct epoll_event* events, int room, const struct timespec* time, const sigset_t* mask) {
  REAL(epoll_pwait2);
  return hit() ? -1 : real(waiter, events, room, time, mask);
}

int socketpair(int domain, int type, int protocol, int ends[2]) {
  REAL(socketpair);
  return hit_hard() ? -1 : real(domain, type, protocol, ends);
}

ssize_t sendmsg(int socket, const struct msghdr* message, int flags) {
  REAL(sendmsg);
  return hit() ? -1 : real(socket, message, flags);
}

ssize_t recvmsg(int socket, struct msghdr* message, int flags) {
  REAL(recvmsg);
  return hit() ? -1 : real(socket, message, flags);
}

pid_t fork(void) {
  REAL(fork);
  return hit_hard() ? -1 : real();
}

pid_t waitpid(pid_t child, int* status, int flags) {
  REAL(waitpid);
  return hit() ? -1 : real(child, status, flags);
}

int signalfd(int file, const sigset_t* set, int flags) {
  extern int signalfd(int, const sigset_t*, int);
  REAL(signalfd);
  return hit_hard() ? -1 : real(file, set, flags);
}
