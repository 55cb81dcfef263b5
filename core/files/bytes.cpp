#include "files/bytes.h"

#include <fcntl.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <fstream>

namespace nutatio::files {

namespace fs = std::filesystem;

rig::Bytes readBytes(const fs::path& path) {
    std::error_code bad;
    if (!fs::exists(path, bad)) throw Failure(Error{path.string(), "", "there is no such file"});
    if (fs::is_directory(path, bad)) throw Failure(Error{path.string(), "", "this is a folder, not a file"});
    constexpr std::uintmax_t kMost = 1ull << 31;
    const std::uintmax_t size = fs::file_size(path, bad);
    if (bad) throw Failure(Error{path.string(), "", "this is not a regular file"});
    if (size > kMost) throw Failure(Error{path.string(), "", "the file is larger than 2 GiB"});
    rig::Bytes bytes(size);
    std::ifstream in(path, std::ios::binary);
    if (!in || (size > 0 && !in.read(reinterpret_cast<char*>(bytes.data()), static_cast<std::streamsize>(size))))
        throw Failure(Error{path.string(), "", "the file cannot be read"});
    return bytes;
}

namespace {

constexpr std::string_view kUnfinished = ".nutatio-unfinished-";

/// Removes files that a killed run left behind: nobody holds their lock any more.
void clearUnfinished(const fs::path& folder) {
    std::error_code bad;
    for (fs::directory_iterator it(folder, bad), end; !bad && it != end; it.increment(bad)) {
        if (it->path().filename().string().rfind(kUnfinished, 0) != 0) continue;
        const int fd = ::open(it->path().c_str(), O_RDWR | O_CLOEXEC | O_NOFOLLOW);
        if (fd < 0) continue;
        if (flock(fd, LOCK_EX | LOCK_NB) == 0) unlink(it->path().c_str());
        close(fd);
    }
}

/// A new file in `folder`, locked for as long as it is open; `name` becomes its path. -1 and errno when there is none to be had.
int openUnfinished(const fs::path& folder, std::string& name) {
    constexpr int kTries = 16;
    for (int k = 0; k < kTries; ++k) {
        name = (folder / (std::string(kUnfinished) + "XXXXXX")).string();
        const int fd = mkostemp(name.data(), O_CLOEXEC);
        if (fd < 0) return -1;
        struct stat seen {};
        // Another process may have cleared it away between its making and its locking.
        if (flock(fd, LOCK_EX) == 0 && fstat(fd, &seen) == 0 && seen.st_nlink > 0) return fd;
        close(fd);
    }
    errno = EAGAIN;
    return -1;
}

bool writeWhole(int fd, const void* data, std::size_t size) {
    const char* p = static_cast<const char*>(data);
    while (size > 0) {
        const ssize_t n = write(fd, p, size);
        if (n < 0 && errno == EINTR) continue;
        if (n <= 0) return false;
        p += n;
        size -= static_cast<std::size_t>(n);
    }
    return true;
}

/// Permissions for `target`: those it has, or what a new file gets here.
mode_t modeFor(const fs::path& target) {
    struct stat seen {};
    if (stat(target.c_str(), &seen) == 0) return seen.st_mode & 07777;
    static const mode_t kMask = [] {
        const mode_t mask = umask(0);
        umask(mask);
        return mask;
    }();
    return 0666 & ~kMask;
}

}  // namespace

void writeAtomically(const fs::path& path, const void* data, std::size_t size) {
    const auto fail = [&](const char* what) {
        throw Failure(Error{path.string(), "", std::string(what) + ": " + std::strerror(errno)});
    };
    std::error_code bad;
    const fs::path target = fs::is_symlink(path, bad) ? fs::weakly_canonical(path, bad) : path;
    const fs::path folder = target.has_parent_path() ? target.parent_path() : fs::path(".");
    clearUnfinished(folder);
    std::string name;
    const int fd = openUnfinished(folder, name);
    if (fd < 0) fail("the file cannot be written there");
    const bool good = writeWhole(fd, data, size) && fchmod(fd, modeFor(target)) == 0 && fsync(fd) == 0 &&
                      std::rename(name.c_str(), target.c_str()) == 0;
    const int kept = errno;
    if (!good) unlink(name.c_str());
    close(fd);
    errno = kept;
    if (!good) fail("writing failed");
}

Key contentOf(const rig::Bytes& bytes) {
    return Hasher().number(bytes.size()).bytes(bytes.data(), bytes.size()).done();
}

std::optional<Key> contentOf(const fs::path& path) {
    try {
        return contentOf(readBytes(path));
    } catch (const std::exception&) {
        return std::nullopt;
    }
}

fs::path freshName(const fs::path& folder, const std::string& stem, const std::string& extension, const rig::Bytes& bytes) {
    const Key key = contentOf(bytes);
    char mark[12];
    std::snprintf(mark, sizeof mark, "%08x", static_cast<unsigned>(key.a >> 32));
    std::error_code bad;
    for (int k = 1;; ++k) {
        fs::path name = folder / (stem + "-" + mark + (k > 1 ? "-" + std::to_string(k) : "") + extension);
        if (!fs::exists(fs::symlink_status(name, bad)) || contentOf(name) == key) return name;
    }
}

namespace {
constexpr std::string_view kAlphabet = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
}

std::string base64(const void* data, std::size_t size) {
    const auto* p = static_cast<const std::uint8_t*>(data);
    std::string out;
    out.reserve((size + 2) / 3 * 4);
    for (std::size_t i = 0; i < size; i += 3) {
        const std::uint32_t b1 = i + 1 < size ? p[i + 1] : 0u, b2 = i + 2 < size ? p[i + 2] : 0u;
        const std::uint32_t v = static_cast<std::uint32_t>(p[i]) << 16 | b1 << 8 | b2;
        out += kAlphabet[v >> 18 & 63];
        out += kAlphabet[v >> 12 & 63];
        out += i + 1 < size ? kAlphabet[v >> 6 & 63] : '=';
        out += i + 2 < size ? kAlphabet[v & 63] : '=';
    }
    return out;
}

rig::Bytes fromBase64(std::string_view text) {
    std::array<int, 256> value{};
    value.fill(-1);
    for (std::size_t i = 0; i < kAlphabet.size(); ++i) value[static_cast<unsigned char>(kAlphabet[i])] = static_cast<int>(i);
    rig::Bytes out;
    out.reserve(text.size() / 4 * 3);
    std::uint32_t bits = 0;
    int have = 0;
    for (char c : text) {
        if (c == '=') break;
        const int v = value[static_cast<unsigned char>(c)];
        if (v < 0) throw Failure("", "the embedded data is not base64");
        bits = bits << 6 | static_cast<std::uint32_t>(v);
        have += 6;
        if (have >= 8) {
            have -= 8;
            out.push_back(static_cast<std::uint8_t>(bits >> have & 255u));
        }
    }
    return out;
}

std::string percentDecoded(std::string_view uri) {
    std::string out;
    for (std::size_t i = 0; i < uri.size(); ++i) {
        if (uri[i] == '%' && i + 2 < uri.size() && std::isxdigit(static_cast<unsigned char>(uri[i + 1])) &&
            std::isxdigit(static_cast<unsigned char>(uri[i + 2]))) {
            out += static_cast<char>(std::stoi(std::string(uri.substr(i + 1, 2)), nullptr, 16));
            i += 2;
        } else {
            out += uri[i];
        }
    }
    return out;
}

std::string percentEncoded(std::string_view path) {
    constexpr std::string_view kHex = "0123456789ABCDEF";
    std::string out;
    for (const char c : path) {
        const auto u = static_cast<unsigned char>(c);
        if (u < 128 && (std::isalnum(u) || std::string_view("-._~/").find(c) != std::string_view::npos)) {
            out += c;
        } else {
            out += '%';
            out += kHex[u >> 4];
            out += kHex[u & 15];
        }
    }
    return out;
}

std::optional<fs::path> insideFolder(const fs::path& document, const fs::path& relative) {
    std::error_code bad;
    const fs::path folder = fs::weakly_canonical(fs::absolute(document).parent_path(), bad);
    const fs::path file = fs::weakly_canonical(folder / relative, bad);
    if (bad || relative.is_absolute()) return std::nullopt;
    const fs::path way = file.lexically_relative(folder);
    if (way.empty() || *way.begin() == ".." || way == ".") return std::nullopt;
    return file;
}

}  // namespace nutatio::files
