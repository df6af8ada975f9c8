// Sends rays into triangles with the Embree library, one at a time on one thread, and prints how many it does in a second.
//
//   reference FILE SECONDS
//
// FILE holds, as 32-bit numbers in little-endian order: the number of triangles, that of rays, nine floats a triangle, and six floats a ray, its
// origin and its direction. Prints two lines: rays a second that look for the nearest surface, and that look for any, each of the best of all
// rounds within SECONDS; a third line with the number of rays that met a surface; and a fourth with bytes that Embree has taken for each triangle.
#include <chrono>
#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <limits>
#include <vector>

#include <embree3/rtcore.h>

static std::vector<float> triangles, rays;
static long long memory = 0;

static bool read(const char *path) {
    FILE *f = fopen(path, "rb");
    if (!f) return false;
    uint32_t counts[2];
    if (fread(counts, 4, 2, f) != 2) return false;
    triangles.resize(size_t(counts[0]) * 9);
    rays.resize(size_t(counts[1]) * 6);
    bool whole = fread(triangles.data(), 4, triangles.size(), f) == triangles.size() && fread(rays.data(), 4, rays.size(), f) == rays.size();
    fclose(f);
    return whole;
}

static bool monitor(void *, ssize_t bytes, bool) {
    memory += bytes;
    return true;
}

template <typename Work> static double best(double seconds, size_t count, Work work) {
    double most = 0, spent = 0;
    do {
        auto began = std::chrono::steady_clock::now();
        work();
        double took = std::chrono::duration<double>(std::chrono::steady_clock::now() - began).count();
        spent += took;
        if (count / took > most) most = count / took;
    } while (spent < seconds);
    return most;
}

int main(int argc, char **argv) {
    if (argc != 3 || !read(argv[1])) {
        fprintf(stderr, "usage: reference FILE SECONDS\n");
        return 1;
    }
    double seconds = atof(argv[2]);
    RTCDevice device = rtcNewDevice("threads=1");
    rtcSetDeviceMemoryMonitorFunction(device, monitor, nullptr);
    RTCScene scene = rtcNewScene(device);
    rtcSetSceneBuildQuality(scene, RTC_BUILD_QUALITY_HIGH);
    RTCGeometry geometry = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
    size_t corners = triangles.size() / 3;
    float *vertices = (float *)rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, corners);
    unsigned *indices = (unsigned *)rtcSetNewGeometryBuffer(geometry, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, corners / 3);
    memcpy(vertices, triangles.data(), triangles.size() * 4);
    for (size_t i = 0; i < corners; i++) indices[i] = unsigned(i);
    rtcCommitGeometry(geometry);
    rtcAttachGeometry(scene, geometry);
    rtcCommitScene(scene);
    RTCIntersectContext context;
    rtcInitIntersectContext(&context);
    size_t count = rays.size() / 6, met = 0;
    double nearest = best(seconds, count, [&] {
        met = 0;
        for (size_t i = 0; i < count; i++) {
            const float *r = &rays[6 * i];
            RTCRayHit hit = {};
            hit.ray.org_x = r[0], hit.ray.org_y = r[1], hit.ray.org_z = r[2];
            hit.ray.dir_x = r[3], hit.ray.dir_y = r[4], hit.ray.dir_z = r[5];
            hit.ray.tfar = std::numeric_limits<float>::infinity();
            hit.ray.mask = -1;
            hit.hit.geomID = RTC_INVALID_GEOMETRY_ID;
            rtcIntersect1(scene, &context, &hit);
            met += hit.hit.geomID != RTC_INVALID_GEOMETRY_ID;
        }
    });
    double any = best(seconds, count, [&] {
        for (size_t i = 0; i < count; i++) {
            const float *r = &rays[6 * i];
            RTCRay ray = {};
            ray.org_x = r[0], ray.org_y = r[1], ray.org_z = r[2];
            ray.dir_x = r[3], ray.dir_y = r[4], ray.dir_z = r[5];
            ray.tfar = std::numeric_limits<float>::infinity();
            ray.mask = -1;
            rtcOccluded1(scene, &context, &ray);
        }
    });
    printf("%.0f\n%.0f\n%zu\n%.1f\n", nearest, any, met, double(memory) / double(corners / 3));
    return 0;
}
