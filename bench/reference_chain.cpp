#include "reference_chain.h"

extern "C" {
#include <libavfilter/avfilter.h>
#include <libavfilter/buffersink.h>
#include <libavfilter/buffersrc.h>
#include <libavutil/channel_layout.h>
#include <libavutil/frame.h>
}

#include <algorithm>
#include <chrono>
#include <cstdio>

namespace reed::bench {

double time_reference(const char* filters, const std::vector<float>& x, int rate, int channels, int block) {
    AVFilterGraph* graph = avfilter_graph_alloc();
    graph->nb_threads = 1;
    AVFilterContext* source = nullptr;
    AVFilterContext* sink = nullptr;
    char format[160];
    std::snprintf(format, sizeof format, "sample_rate=%d:sample_fmt=dblp:channel_layout=%s:time_base=1/%d",
                  rate, channels == 1 ? "mono" : "stereo", rate);
    avfilter_graph_create_filter(&source, avfilter_get_by_name("abuffer"), "in", format, nullptr, graph);
    avfilter_graph_create_filter(&sink, avfilter_get_by_name("abuffersink"), "out", nullptr, nullptr, graph);
    AVFilterInOut* outputs = avfilter_inout_alloc();
    AVFilterInOut* inputs = avfilter_inout_alloc();
    *outputs = {av_strdup("in"), source, 0, nullptr};
    *inputs = {av_strdup("out"), sink, 0, nullptr};
    const bool ready = avfilter_graph_parse_ptr(graph, filters, &inputs, &outputs, nullptr) >= 0 &&
                       avfilter_graph_config(graph, nullptr) >= 0;
    avfilter_inout_free(&inputs);
    avfilter_inout_free(&outputs);
    double seconds = -1.0;
    if (ready) {
        AVFrame* out = av_frame_alloc();
        const auto start = std::chrono::steady_clock::now();
        for (size_t at = 0; at + static_cast<size_t>(block) <= x.size(); at += static_cast<size_t>(block)) {
            AVFrame* in = av_frame_alloc();
            in->nb_samples = block;
            in->format = AV_SAMPLE_FMT_DBLP;
            in->sample_rate = rate;
            av_channel_layout_default(&in->ch_layout, channels);
            av_frame_get_buffer(in, 0);
            for (int c = 0; c < channels; ++c) {
                auto* row = reinterpret_cast<double*>(in->extended_data[c]);
                std::copy_n(x.begin() + static_cast<std::ptrdiff_t>(at), block, row);
            }
            if (av_buffersrc_add_frame(source, in) < 0) return -1.0;
            av_frame_free(&in);
            while (av_buffersink_get_frame(sink, out) >= 0) av_frame_unref(out);
        }
        seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
        av_frame_free(&out);
    }
    avfilter_graph_free(&graph);
    return seconds;
}

}  // namespace reed::bench
