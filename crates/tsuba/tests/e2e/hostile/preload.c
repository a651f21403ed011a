/* A library that a setup has the loader take in: it tries what a server could, and writes down what came of it. */
#define _GNU_SOURCE
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <sched.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ioctl.h>
#include <sys/mman.h>
#include <sys/mount.h>
#include <sys/prctl.h>
#include <sys/ptrace.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/syscall.h>
#include <unistd.h>

static FILE *out;

static void said(const char *name, long result) {
    fprintf(out, "%s: %s\n", name, result < 0 ? strerrorname_np(errno) : "done");
}

static void opened(const char *name, const char *path, int flags) {
    int fd = open(path, flags);
    said(name, fd);
    if (fd >= 0) close(fd);
}

static void text(const char *name, const char *path) {
    char line[200] = "";
    int fd = open(path, O_RDONLY);
    long length = fd < 0 ? -1 : read(fd, line, sizeof line - 1);
    if (length < 0) { said(name, -1); } else {
        for (char *c = line; *c; c++) if (*c == '\n' || *c == '\t' || *c == ' ') *c = '.';
        fprintf(out, "%s: %s\n", name, line);
    }
    if (fd >= 0) close(fd);
}

static void names(const char *name, const char *path, int numbers) {
    DIR *all = opendir(path);
    fprintf(out, "%s:", name);
    for (struct dirent *one; all && (one = readdir(all));) {
        int number = one->d_name[0] >= '0' && one->d_name[0] <= '9';
        if (one->d_name[0] != '.' && number == numbers && !(numbers && atoi(one->d_name) <= 2) ) {
            char full[600], filled[2]; snprintf(full, sizeof full, "%s/%s", path, one->d_name);
            if (numbers && atoi(one->d_name) == dirfd(all)) continue;
            struct stat facts;
            int file = !numbers && stat(full, &facts) == 0 && S_ISREG(facts.st_mode);
            int fd = file ? open(full, O_RDONLY) : -1;
            /* Of files only those that say something. */
            if (file && (fd < 0 || read(fd, filled, 1) <= 0)) { if (fd >= 0) close(fd); continue; }
            if (fd >= 0) close(fd);
            if (!numbers && !file) {
                DIR *inner = opendir(full); int count = 0;
                for (struct dirent *two; inner && (two = readdir(inner));) count += two->d_name[0] != '.';
                if (inner) closedir(inner);
                if (!count) continue;
            }
            char to[200] = "";
            if (numbers && readlink(full, to, sizeof to - 1) > 0) fprintf(out, " %s", to);
            else fprintf(out, " %s", one->d_name);
        }
    }
    if (all) closedir(all);
    fprintf(out, "\n");
}

__attribute__((constructor)) static void attack(void) {
    const char *mark = getenv("MARK");
    if (mark) { int fd = open(mark, O_WRONLY | O_CREAT, 0644); if (fd >= 0) close(fd); }
    out = fopen("/home/crew/work/said", "w");
    if (!out) return;
    const char *own = getenv("LD_PRELOAD");
    names("open files", "/proc/self/fd", 1);
    said("remount", mount(NULL, "/usr", NULL, MS_REMOUNT | MS_BIND, NULL));
    opened("own folder", own ? own : "", O_WRONLY);
    opened("core_pattern", "/proc/sys/kernel/core_pattern", O_WRONLY);
    opened("environ of the first", "/proc/1/environ", O_RDONLY);
    opened("memory of the first", "/proc/1/mem", O_RDWR);
    opened("program of the first", "/proc/1/exe", O_RDONLY);
    char link[200];
    said("files of the first", readlink("/proc/1/fd/0", link, sizeof link));
    opened("own user map", "/proc/self/uid_map", O_WRONLY);
    said("trace", ptrace(PTRACE_ATTACH, 1, 0, 0));
    said("unshare", unshare(CLONE_NEWUSER));
    said("chmod", chmod("/dev/null", 0));
    said("terminal", ioctl(0, TIOCSTI, "x"));
    said("memfd", syscall(SYS_memfd_create, "x", 0));
    said("shmget", syscall(SYS_shmget, 0, 4096, 0x1ff | 01000));
    said("msgget", syscall(SYS_msgget, 0, 0x1ff | 01000));
    said("shared", (long)mmap(NULL, 4096, PROT_READ | PROT_WRITE, MAP_SHARED | MAP_ANONYMOUS, -1, 0));
    said("clone3", syscall(SYS_clone3, NULL, 0));
    said("pidfd", syscall(SYS_pidfd_open, getpid(), 0));
    said("personality", syscall(SYS_personality, 0xffffffffUL));
    said("modify_ldt", syscall(154, 0, NULL, 0));
    said("aio", syscall(SYS_io_setup, 1, NULL));
    said("mempolicy", syscall(SYS_set_mempolicy, 0, NULL, 0));
    said("vmsplice", syscall(SYS_vmsplice, 0, NULL, 0, 0));
    said("uring", syscall(425, 1, NULL));
    said("seccomp", syscall(SYS_seccomp, 0, 0, NULL));
    said("seccomp by prctl", prctl(PR_SET_SECCOMP, 1));
    said("memory map by prctl", prctl(PR_SET_MM, 1, 0, 0, 0));
    said("memfd_secret", syscall(447, 0));
    said("statmount", syscall(457, NULL, NULL, 0, 0));
    said("a call that nobody knows", syscall(470, NULL));
    said("keys", syscall(SYS_add_key, "user", "x", "x", 1, -1));
    said("audit", socket(AF_NETLINK, SOCK_RAW, 9));
    said("packets", socket(AF_PACKET, SOCK_RAW, 0));
    int routes = socket(AF_NETLINK, SOCK_RAW, 0);
    said("routes", routes);
    if (routes >= 0) close(routes);
    text("user map", "/proc/self/uid_map");
    text("kernel", "/proc/version");
    text("start", "/proc/cmdline");
    names("process list", "/proc", 0);
    fprintf(out, "path: %s\n", getenv("PATH") ? getenv("PATH") : "");
    fclose(out);
}
