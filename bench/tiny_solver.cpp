// The smallest solver: reads a file of "x = value", writes y = x² as JSON. C only, so that it starts quickly.
#include <cstdio>
#include <cstdlib>
#include <cstring>

int main(int argc, char** argv) {
  char text[4096];
  if (argc != 3) return 2;
  FILE* in = fopen(argv[1], "r");
  if (!in) return 3;
  const size_t n = fread(text, 1, sizeof text - 1, in);
  fclose(in);
  text[n] = 0;
  const char* at = strstr(text, "x = ");
  if (!at) return 4;
  const double x = strtod(at + 4, nullptr);
  FILE* out = fopen(argv[2], "w");
  if (!out) return 5;
  fprintf(out, "{\"y\": %.17g}\n", x * x);
  return fclose(out) == 0 ? 0 : 6;
}
