#include "files/bytes.h"

#include <fcntl.h>
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

void writeAtomically(const fs::path& path, const void* data, std::size_t size) {
    const fs::path folder = path.has_parent_path() ? path.parent_path() : fs::path(".");
    std::string name = (folder / ("." + path.filename().string() + ".XXXXXX")).string();
    const auto fail = [&](const char* what) {
        throw Failure(Error{path.string(), "", std::string(what) + ": " + std::strerror(errno)});
    };
    const int fd = mkstemp(name.data());
    if (fd < 0) fail("the file cannot be written there");
    const char* p = static_cast<const char*>(data);
    bool good = true;
    while (good && size > 0) {
        const ssize_t n = write(fd, p, size);
        good = n > 0;
        if (good) {
            p += n;
            size -= static_cast<std::size_t>(n);
        }
    }
    // mkstemp makes a private file; a document should have the usual permissions instead.
    good = good && fchmod(fd, 0644) == 0 && fsync(fd) == 0;
    good = (close(fd) == 0) && good && std::rename(name.c_str(), path.c_str()) == 0;
    if (!good) {
        const int kept = errno;
        unlink(name.c_str());
        errno = kept;
        fail("writing failed");
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

}  // namespace nutatio::files
