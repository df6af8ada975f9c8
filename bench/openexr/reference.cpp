// Writes and reads a frame again and again with the OpenEXR library, in memory, and prints how long each round took.
//
//   reference FRAME COMPRESSION write|read THREADS SECONDS [FILE]
//
// The frame's channels stand in planes of their own, in the types of the file, as they do in the Go program beside it. Prints the
// size of the file in bytes, and then the seconds of each round. With FILE the last file that was written is kept.
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <fstream>
#include <map>
#include <stdexcept>
#include <string>
#include <vector>

#include <OpenEXR/ImfChannelList.h>
#include <OpenEXR/ImfFrameBuffer.h>
#include <OpenEXR/ImfHeader.h>
#include <OpenEXR/ImfIO.h>
#include <OpenEXR/ImfInputFile.h>
#include <OpenEXR/ImfOutputFile.h>
#include <OpenEXR/ImfThreading.h>

using namespace OPENEXR_IMF_NAMESPACE;

// A file in memory.
class MemoryOut : public OStream {
  public:
    explicit MemoryOut(std::vector<char> &data) : OStream("memory"), data(data), at(0) {}
    void write(const char c[], int n) override {
        if (at + n > data.size()) data.resize(at + n);
        std::memcpy(data.data() + at, c, n);
        at += n;
    }
    uint64_t tellp() override { return at; }
    void seekp(uint64_t pos) override { at = pos; }

  private:
    std::vector<char> &data;
    size_t at;
};

class MemoryIn : public IStream {
  public:
    explicit MemoryIn(const std::vector<char> &data) : IStream("memory"), data(data), at(0) {}
    bool read(char c[], int n) override {
        if (at + n > data.size()) throw std::runtime_error("end of file");
        std::memcpy(c, data.data() + at, n);
        at += n;
        return at < data.size();
    }
    uint64_t tellg() override { return at; }
    void seekg(uint64_t pos) override { at = pos; }

  private:
    const std::vector<char> &data;
    size_t at;
};

static size_t sizeOf(PixelType t) { return t == HALF ? 2 : 4; }

int main(int argc, char **argv) {
    if (argc < 6) {
        std::fprintf(stderr, "usage: reference FRAME COMPRESSION write|read THREADS SECONDS [FILE]\n");
        return 2;
    }
    const std::map<std::string, Compression> compressions = {
        {"none", NO_COMPRESSION}, {"RLE", RLE_COMPRESSION}, {"ZIPS", ZIPS_COMPRESSION}, {"ZIP", ZIP_COMPRESSION}, {"PIZ", PIZ_COMPRESSION}, {"PXR24", PXR24_COMPRESSION},
        {"B44", B44_COMPRESSION}, {"B44A", B44A_COMPRESSION}, {"DWAA", DWAA_COMPRESSION}, {"DWAB", DWAB_COMPRESSION}};
    const bool writing = std::string(argv[3]) == "write";
    const int threads = std::atoi(argv[4]);
    const double seconds = std::atof(argv[5]);
    setGlobalThreadCount(threads > 1 ? threads : 0); // 0: the calling thread alone

    InputFile in(argv[1]);
    const auto window = in.header().dataWindow();
    const int width = window.max.x - window.min.x + 1, height = window.max.y - window.min.y + 1;
    Header header(width, height);
    header.compression() = compressions.at(argv[2]);
    std::vector<std::vector<char>> planes;
    for (auto c = in.header().channels().begin(); c != in.header().channels().end(); ++c) planes.emplace_back(sizeOf(c.channel().type) * width * height);
    FrameBuffer buffer;
    size_t i = 0;
    for (auto c = in.header().channels().begin(); c != in.header().channels().end(); ++c, ++i) {
        const size_t size = sizeOf(c.channel().type);
        header.channels().insert(c.name(), Channel(c.channel().type));
        buffer.insert(c.name(), Slice(c.channel().type, planes[i].data(), size, size * width));
    }
    in.setFrameBuffer(buffer);
    in.readPixels(0, height - 1);

    std::vector<char> file;
    auto write = [&] {
        MemoryOut stream(file);
        OutputFile out(stream, header, globalThreadCount());
        out.setFrameBuffer(buffer);
        out.writePixels(height);
    };
    auto read = [&] {
        MemoryIn stream(file);
        InputFile again(stream, globalThreadCount());
        again.setFrameBuffer(buffer);
        again.readPixels(0, height - 1);
    };
    write();
    std::printf("%zu\n", file.size());
    const auto began = std::chrono::steady_clock::now();
    auto since = [](std::chrono::steady_clock::time_point t) { return std::chrono::duration<double>(std::chrono::steady_clock::now() - t).count(); };
    do {
        const auto round = std::chrono::steady_clock::now();
        if (writing) {
            file.clear();
            write();
        } else {
            read();
        }
        std::printf("%.6f\n", since(round));
    } while (since(began) < seconds);
    if (argc > 6) std::ofstream(argv[6], std::ios::binary).write(file.data(), file.size());
    return 0;
}
