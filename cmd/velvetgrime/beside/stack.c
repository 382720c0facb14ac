// Composites layers of one colour each under one mask, in floats: what bench stack does,
// by libvips. Arguments: edge, layers, threads, then the bands of each
// picture (3 for a colour, 4 for four greys).
// Prints seconds and the mean of the result.
#include <stdio.h>
#include <stdlib.h>
#include <time.h>
#include <vips/vips.h>

static double now(void) {
  struct timespec t;
  clock_gettime(CLOCK_MONOTONIC, &t);
  return t.tv_sec + t.tv_nsec * 1e-9;
}

int main(int argc, char **argv) {
  if (argc < 5 || VIPS_INIT(argv[0])) return 1;
  int edge = atoi(argv[1]), layers = atoi(argv[2]);
  vips_concurrency_set(atoi(argv[3]));
  float *mask = malloc(sizeof(float) * edge * edge);
  for (int i = 0; i < edge * edge; i++) mask[i] = ((i * 2654435761u) >> 8 & 0xffff) / 65535.0f;
  VipsImage *m = vips_image_new_from_memory(mask, sizeof(float) * (size_t)edge * edge, edge, edge, 1, VIPS_FORMAT_FLOAT);
  double start = now(), mean = 0;
  for (int g = 4; g < argc; g++) {
    int bands = atoi(argv[g]);
    VipsImage *out, *black;
    if (vips_black(&black, edge, edge, "bands", bands, NULL) || vips_cast_float(black, &out, NULL)) return 1;
    for (int l = 0; l < layers; l++) {
      // out + mask * (colour - out)
      double c[4] = {0.1 + 0.04 * l, 0.9 - 0.03 * l, 0.5, 0.3}, minus[4] = {-1, -1, -1, -1};
      VipsImage *d, *md, *next;
      if (vips_linear(out, &d, minus, c, bands, NULL) || vips_multiply(d, m, &md, NULL) || vips_add(out, md, &next, NULL)) return 1;
      out = next;
    }
    size_t size;
    float *v = vips_image_write_to_memory(out, &size);
    if (!v) return 1;
    for (int i = 0; i < bands * edge; i++) mean += v[i];
    g_free(v);
  }
  printf("%.6f %.6f\n", now() - start, mean / (7.0 * edge));
  return 0;
}
