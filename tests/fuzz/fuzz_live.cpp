// What comes over the line. The first byte says which way and in what pieces; a good performer's frame after it is followed.
#include "live/bvh_way.hpp"
#include "live/jitter_buffer.hpp"
#include "live/osc_way.hpp"
#include "tests/fuzz/fuzz.hpp"

using namespace nb;

namespace {

struct Counted : StreamSink {
    long frames = 0;
    JitterBuffer buffer;
    void skeleton(const std::string&, std::shared_ptr<const StreamSkeleton>) override {}
    void frame(const std::string&, StreamFrame& frame) override {
        ++frames;
        buffer.arrive(frame.number, frame.sent_s, frame.arrived_s);
        buffer.account(frame.arrived_s);
    }
    void stopped(const std::string&) override {}
    void malformed(const std::string&) override {}
};

constexpr std::string_view good_head =
    "\nMOTION\nSKELETON good\nHIERARCHY\nROOT a\n{\nOFFSET 0 1 0\nCHANNELS 3 Zrotation Xrotation "
    "Yrotation\n}\nMOTION\n";

}  // namespace

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, size_t size) {
    if (size < 2) return 0;
    fuzz::only_told({reinterpret_cast<const char*>(data), size}, [&] {
        const std::string_view bytes(reinterpret_cast<const char*>(data) + 1, size - 1);
        Counted told;
        if (data[0] % 2 == 0) {
            BvhWayIn way(told);
            const size_t piece = 1 + data[0] / 2;
            bool is_open = true;
            for (size_t at = 0; at < bytes.size() && is_open; at += piece)
                is_open = way.take(bytes.substr(at, piece), 0.01 * double(at));
            if (!is_open) return;
            // Whatever came before it: what is a stream is followed.
            const long before = told.frames;
            way.take(good_head, 1.0);
            way.take("good 1 0.5 10 20 30\n", 1.0);
            if (told.frames == before && way.malformed() < 15) __builtin_trap();
        } else {
            OscWayIn way(told, [] {});
            const size_t piece = 4 * size_t(1 + data[0] / 2);
            for (size_t at = 0; at < bytes.size(); at += piece)
                way.take(bytes.substr(at, piece), 0.01 * double(at));
            way.take(bytes, 1.0);
        }
    });
    return 0;
}
