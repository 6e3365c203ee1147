/*
 * Loaded into a program (LD_PRELOAD), it notes the format string behind each text that the C library formats:
 * which statement of the program wrote a line. Notes go to the file named by LAB_NOTES, one after the other:
 * format, 0x1f, text, 0x1e.
 */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <fcntl.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/uio.h>
#include <unistd.h>

#define LONGEST 4096

static int notes = -2;
static __thread int inside;

static int (*real_vsnprintf)(char *, size_t, const char *, va_list);

static int said(const char *format) {
  int letters = 0;
  for (const char *at = format; *at; at++) {
    if (*at == '%') {
      at++;
      while (*at && strchr("-+ #0123456789.*hlLqjzt", *at)) at++;
      if (!*at) break;
    } else if ((*at >= 'a' && *at <= 'z') || (*at >= 'A' && *at <= 'Z'))
      letters++;
  }
  return letters >= 2;
}

static void note(const char *format, va_list arguments) {
  if (inside || !format || !said(format)) return;
  inside = 1;
  if (notes == -2) {
    const char *path = getenv("LAB_NOTES");
    notes = path ? open(path, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666) : -1;
  }
  if (!real_vsnprintf) real_vsnprintf = dlsym(RTLD_NEXT, "vsnprintf");
  if (notes >= 0 && real_vsnprintf) {
    char text[LONGEST];
    va_list copy;
    va_copy(copy, arguments);
    int length = real_vsnprintf(text, sizeof text, format, copy);
    va_end(copy);
    if (length > 0) {
      if (length >= LONGEST) length = LONGEST - 1;
      struct iovec parts[4] = {{(void *)format, strlen(format)}, {"\x1f", 1}, {text, length}, {"\x1e", 1}};
      // Some programs close what they did not open.
      if (writev(notes, parts, 4) < 0) notes = -2;
    }
  }
  inside = 0;
}

#define REAL(name) __typeof__(&name) real = dlsym(RTLD_NEXT, #name)

int vsnprintf(char *to, size_t size, const char *format, va_list arguments) {
  REAL(vsnprintf);
  note(format, arguments);
  return real(to, size, format, arguments);
}
int vsprintf(char *to, const char *format, va_list arguments) {
  REAL(vsprintf);
  note(format, arguments);
  return real(to, format, arguments);
}
int vfprintf(FILE *to, const char *format, va_list arguments) {
  REAL(vfprintf);
  note(format, arguments);
  return real(to, format, arguments);
}
int vprintf(const char *format, va_list arguments) { return vfprintf(stdout, format, arguments); }
int vdprintf(int to, const char *format, va_list arguments) {
  REAL(vdprintf);
  note(format, arguments);
  return real(to, format, arguments);
}
int vasprintf(char **to, const char *format, va_list arguments) {
  REAL(vasprintf);
  note(format, arguments);
  return real(to, format, arguments);
}
void vsyslog(int priority, const char *format, va_list arguments) {
  void (*real)(int, const char *, va_list) = dlsym(RTLD_NEXT, "vsyslog");
  note(format, arguments);
  if (getenv("LAB_SYSLOG")) {
    char text[LONGEST];
    if (!real_vsnprintf) real_vsnprintf = dlsym(RTLD_NEXT, "vsnprintf");
    va_list copy;
    va_copy(copy, arguments);
    int length = real_vsnprintf(text, sizeof text - 1, format, copy);
    va_end(copy);
    if (length >= (int)sizeof text - 1) length = sizeof text - 2;
    int file = open(getenv("LAB_SYSLOG"), O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666);
    if (file >= 0 && length > 0) {
      if (text[length - 1] != '\n') text[length++] = '\n';
      if (write(file, text, length) < 0) inside = 0;
      close(file);
    }
    return;
  }
  real(priority, format, arguments);
}

#define FORWARD(type, name, parameters, call)                                                                \
  type name parameters {                                                                                     \
    va_list arguments;                                                                                       \
    va_start(arguments, format);                                                                             \
    type result = call;                                                                                      \
    va_end(arguments);                                                                                       \
    return result;                                                                                           \
  }
FORWARD(int, snprintf, (char *to, size_t size, const char *format, ...), vsnprintf(to, size, format, arguments))
FORWARD(int, sprintf, (char *to, const char *format, ...), vsprintf(to, format, arguments))
FORWARD(int, fprintf, (FILE *to, const char *format, ...), vfprintf(to, format, arguments))
FORWARD(int, printf, (const char *format, ...), vfprintf(stdout, format, arguments))
FORWARD(int, dprintf, (int to, const char *format, ...), vdprintf(to, format, arguments))
FORWARD(int, asprintf, (char **to, const char *format, ...), vasprintf(to, format, arguments))
FORWARD(int, __snprintf_chk, (char *to, size_t size, int flag, size_t room, const char *format, ...),
        vsnprintf(to, size, format, arguments))
FORWARD(int, __sprintf_chk, (char *to, int flag, size_t room, const char *format, ...), vsprintf(to, format, arguments))
FORWARD(int, __fprintf_chk, (FILE *to, int flag, const char *format, ...), vfprintf(to, format, arguments))
FORWARD(int, __printf_chk, (int flag, const char *format, ...), vfprintf(stdout, format, arguments))
FORWARD(int, __dprintf_chk, (int to, int flag, const char *format, ...), vdprintf(to, format, arguments))
FORWARD(int, __asprintf_chk, (char **to, int flag, const char *format, ...), vasprintf(to, format, arguments))

int __vsnprintf_chk(char *to, size_t size, int flag, size_t room, const char *format, va_list arguments) {
  return vsnprintf(to, size, format, arguments);
}
int __vsprintf_chk(char *to, int flag, size_t room, const char *format, va_list arguments) {
  return vsprintf(to, format, arguments);
}
int __vfprintf_chk(FILE *to, int flag, const char *format, va_list arguments) {
  return vfprintf(to, format, arguments);
}
int __vprintf_chk(int flag, const char *format, va_list arguments) { return vfprintf(stdout, format, arguments); }
int __vdprintf_chk(int to, int flag, const char *format, va_list arguments) {
  return vdprintf(to, format, arguments);
}
int __vasprintf_chk(char **to, int flag, const char *format, va_list arguments) {
  return vasprintf(to, format, arguments);
}
void syslog(int priority, const char *format, ...) {
  va_list arguments;
  va_start(arguments, format);
  vsyslog(priority, format, arguments);
  va_end(arguments);
}
void __syslog_chk(int priority, int flag, const char *format, ...) {
  va_list arguments;
  va_start(arguments, format);
  vsyslog(priority, format, arguments);
  va_end(arguments);
}
void __vsyslog_chk(int priority, int flag, const char *format, va_list arguments) {
  vsyslog(priority, format, arguments);
}
