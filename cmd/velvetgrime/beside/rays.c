// Asks for every ray of a file whether anything is met, ray by ray, by Embree. Arguments:
// file, threads. The file: counts of triangles and rays (uint32), nine floats a triangle,
// then origin, direction, near and far of every ray. Prints seconds to build, seconds to ask, hits.
#include <embree3/rtcore.h>
#include <math.h>
#include <pthread.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + t.tv_nsec * 1e-9;
}

static RTCScene scene;
static float *rays;
static uint32_t count;
static uint32_t next_chunk;

static void *work(void *arg) {
  long hits = 0;
  for (;;) {
    uint32_t from = __sync_fetch_and_add(&next_chunk, 4096);
    if (from >= count) break;
    uint32_t to = from + 4096 < count ? from + 4096 : count;
    struct RTCIntersectContext ctx;
    rtcInitIntersectContext(&ctx);
    for (uint32_t i = from; i < to; i++) {
      float *r = rays + 8 * (size_t)i;
      struct RTCRay ray = {.org_x = r[0], .org_y = r[1], .org_z = r[2], .tnear = r[6],
        .dir_x = r[3], .dir_y = r[4], .dir_z = r[5], .tfar = r[7], .mask = -1, .time = 0};
      rtcOccluded1(scene, &ctx, &ray);
      if (ray.tfar < 0) hits++;
    }
  }
  *(long *)arg = hits;
  return NULL;
}

int main(int argc, char **argv) {
  if (argc < 3) return 1;
  FILE *f = fopen(argv[1], "rb");
  uint32_t n[2];
  if (!f || fread(n, 4, 2, f) != 2) return 1;
  int threads = atoi(argv[2]);
  count = n[1];
  char config[64];
  snprintf(config, sizeof config, "threads=%d", threads);
  RTCDevice device = rtcNewDevice(config);
  double start = now();
  RTCGeometry g = rtcNewGeometry(device, RTC_GEOMETRY_TYPE_TRIANGLE);
  float *v = rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_VERTEX, 0, RTC_FORMAT_FLOAT3, 12, 3 * n[0]);
  uint32_t *t = rtcSetNewGeometryBuffer(g, RTC_BUFFER_TYPE_INDEX, 0, RTC_FORMAT_UINT3, 12, n[0]);
  if (fread(v, 36, n[0], f) != n[0]) return 1;
  for (uint32_t i = 0; i < 3 * n[0]; i++) t[i] = i;
  rays = malloc(32 * (size_t)n[1]);
  if (fread(rays, 32, n[1], f) != n[1]) return 1;
  rtcCommitGeometry(g);
  scene = rtcNewScene(device);
  rtcAttachGeometry(scene, g);
  rtcCommitScene(scene);
  double built = now();
  pthread_t id[64];
  long hits[64], all = 0;
  for (int i = 0; i < threads && i < 64; i++) pthread_create(&id[i], NULL, work, &hits[i]);
  for (int i = 0; i < threads && i < 64; i++) pthread_join(id[i], NULL), all += hits[i];
  printf("%.6f %.6f %ld\n", built - start, now() - built, all);
  return 0;
}
