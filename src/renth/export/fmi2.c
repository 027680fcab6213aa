/* The functions of FMI 2.0.4 (Modelica Association, Functional Mock-up Interface for Model Exchange and
 * Co-Simulation, 2022) for a model without states: outputs follow from inputs at once. What they are is read from
 * resources/model.bin:
 *
 *   "renthfm1", 64 bytes of guid, then as 32-bit integers: inputs, outputs, groups, numbers of code, values;
 *   of each group of outputs: its first output, how many, where its code begins, its steps, its working memory;
 *   the code; then the values, 64-bit.
 *
 * Value references: inputs from 0, then outputs. A group is worked out when one of its outputs is asked for. */
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "evaluate.c"

typedef void *fmi2Component, *fmi2ComponentEnvironment, *fmi2FMUstate;
typedef unsigned int fmi2ValueReference;
typedef double fmi2Real;
typedef int fmi2Integer, fmi2Boolean;
typedef char fmi2Char, fmi2Byte;
typedef const fmi2Char *fmi2String;
typedef enum { fmi2OK, fmi2Warning, fmi2Discard, fmi2Error, fmi2Fatal, fmi2Pending } fmi2Status;
typedef enum { fmi2ModelExchange, fmi2CoSimulation } fmi2Type;
typedef enum { fmi2DoStepStatus, fmi2PendingStatus, fmi2LastSuccessfulTime, fmi2Terminated } fmi2StatusKind;
typedef struct {
  void (*logger)(fmi2ComponentEnvironment, fmi2String, fmi2Status, fmi2String, fmi2String, ...);
  void *(*allocateMemory)(size_t, size_t);
  void (*freeMemory)(void *);
  void (*stepFinished)(fmi2ComponentEnvironment, fmi2Status);
  fmi2ComponentEnvironment componentEnvironment;
} fmi2CallbackFunctions;
typedef struct {
  fmi2Boolean newDiscreteStatesNeeded, terminateSimulation, nominalsOfContinuousStatesChanged,
      valuesOfContinuousStatesChanged, nextEventTimeDefined;
  fmi2Real nextEventTime;
} fmi2EventInfo;

#define RENTH_PASTE(a, b) a##b
#define RENTH_PASTED(a, b) RENTH_PASTE(a, b)
#ifdef FMI2_FUNCTION_PREFIX /* several models linked into one program */
#define FMI2(name) RENTH_PASTED(FMI2_FUNCTION_PREFIX, name)
#else
#define FMI2(name) name
#endif
#if defined(__GNUC__)
#define FMI2_EXPORT __attribute__((visibility("default")))
#elif defined(_WIN32)
#define FMI2_EXPORT __declspec(dllexport)
#else
#define FMI2_EXPORT
#endif

enum { renth_header = 72, renth_numbers = 5, renth_group_numbers = 5 };

typedef struct {
  const fmi2CallbackFunctions *call;
  char *name;
  unsigned char *file;
  int inputs, outputs, groups;
  const int *group, *code;
  const double *values;
  double *input, *start, *output, *work;
  char *known; /* of each group */
  double time;
} Instance;

static void renth_say(const fmi2CallbackFunctions *call, const char *name, const char *what) {
  if (call && call->logger) call->logger(call->componentEnvironment, name, fmi2Error, "logStatusError", what);
}

/* The path of a file URI, percent signs resolved, with `file` behind it. */
static char *renth_path(const char *uri, const char *file) {
  const char *from = uri;
  char *out, *to;
  if (strncmp(from, "file:", 5) == 0) {
    from += 5;
    if (strncmp(from, "//", 2) == 0) {
      from += 2;
      while (*from && *from != '/') ++from; /* the host */
    }
#ifdef _WIN32
    if (from[0] == '/' && from[1] && from[2] == ':') ++from;
#endif
  }
  out = to = malloc(strlen(from) + strlen(file) + 2);
  if (!out) return NULL;
  while (*from) {
    unsigned int byte;
    char two[3] = {0, 0, 0};
    if (*from == '%' && from[1] && from[2]) {
      two[0] = from[1];
      two[1] = from[2];
      if (sscanf(two, "%2x", &byte) == 1) {
        *to++ = (char)byte;
        from += 3;
        continue;
      }
    }
    *to++ = *from++;
  }
  if (to == out || to[-1] != '/') *to++ = '/';
  strcpy(to, file);
  return out;
}

static unsigned char *renth_read(const char *uri, size_t *size) {
  char *path = renth_path(uri, "model.bin");
  FILE *file = path ? fopen(path, "rb") : NULL;
  unsigned char *out = NULL;
  long length;
  free(path);
  if (!file) return NULL;
  if (fseek(file, 0, SEEK_END) == 0 && (length = ftell(file)) > 0 && fseek(file, 0, SEEK_SET) == 0) {
    out = malloc((size_t)length);
    if (out && fread(out, 1, (size_t)length, file) != (size_t)length) {
      free(out);
      out = NULL;
    }
    *size = (size_t)length;
  }
  fclose(file);
  return out;
}

static void renth_free(Instance *m) {
  if (!m) return;
  free(m->name);
  free(m->file);
  free(m->input);
  free(m->start);
  free(m->output);
  free(m->work);
  free(m->known);
  free(m);
}

/* Takes the file apart; 0 if it is not what it should be. */
static int renth_take(Instance *m, size_t size, const char *guid) {
  int number[renth_numbers], work = 1, k;
  size_t at = renth_header, need;
  if (size < at + sizeof number || memcmp(m->file, "renthfm1", 8) != 0) return 0;
  if (!guid || strlen(guid) > 63 || strcmp((const char *)m->file + 8, guid) != 0) return 0;
  memcpy(number, m->file + at, sizeof number);
  at += sizeof number;
  for (k = 0; k < renth_numbers; ++k)
    if (number[k] < 0) return 0;
  m->inputs = number[0];
  m->outputs = number[1];
  m->groups = number[2];
  need = at + sizeof(int) * ((size_t)m->groups * renth_group_numbers + (size_t)number[3]);
  need = (need + 7) / 8 * 8;
  if (size != need + sizeof(double) * ((size_t)number[4] + (size_t)m->inputs)) return 0;
  m->group = (const int *)(const void *)(m->file + at);
  m->code = m->group + m->groups * renth_group_numbers;
  m->values = (const double *)(const void *)(m->file + need);
  for (k = 0; k < m->groups; ++k)
    if (m->group[k * renth_group_numbers + 4] > work) work = m->group[k * renth_group_numbers + 4];
  m->input = malloc(sizeof(double) * ((size_t)m->inputs + 1));
  m->start = malloc(sizeof(double) * ((size_t)m->inputs + 1));
  m->output = calloc((size_t)m->outputs + 1, sizeof(double));
  m->work = malloc(sizeof(double) * (size_t)work);
  m->known = calloc((size_t)m->groups + 1, 1);
  if (!m->input || !m->start || !m->output || !m->work || !m->known) return 0;
  memcpy(m->start, m->values + number[4], sizeof(double) * (size_t)m->inputs);
  memcpy(m->input, m->start, sizeof(double) * (size_t)m->inputs);
  return 1;
}

static void renth_forget(Instance *m) { memset(m->known, 0, (size_t)m->groups); }

static fmi2Status renth_get(Instance *m, fmi2ValueReference r, double *value) {
  int k;
  if (!m) return fmi2Error;
  if (r < (fmi2ValueReference)m->inputs) {
    *value = m->input[r];
    return fmi2OK;
  }
  r -= (fmi2ValueReference)m->inputs;
  for (k = 0; k < m->groups; ++k) {
    const int *g = m->group + k * renth_group_numbers;
    if (r < (fmi2ValueReference)g[0] || r >= (fmi2ValueReference)(g[0] + g[1])) continue;
    if (!m->known[k]) renth_run(m->code + g[2], g[3], m->values, m->input, m->work, m->output + g[0]);
    m->known[k] = 1;
    *value = m->output[r];
    return fmi2OK;
  }
  renth_say(m->call, m->name, "there is no variable with this value reference");
  return fmi2Error;
}

static fmi2Status renth_set(Instance *m, fmi2ValueReference r, double value) {
  if (!m) return fmi2Error;
  if (r >= (fmi2ValueReference)m->inputs) {
    renth_say(m->call, m->name, "only inputs can be set");
    return fmi2Error;
  }
  if (m->input[r] != value) renth_forget(m); /* NaN is another than any */
  m->input[r] = value;
  return fmi2OK;
}

FMI2_EXPORT const char *FMI2(fmi2GetTypesPlatform)(void) { return "default"; }
FMI2_EXPORT const char *FMI2(fmi2GetVersion)(void) { return "2.0"; }
FMI2_EXPORT fmi2Status FMI2(fmi2SetDebugLogging)(fmi2Component c, fmi2Boolean on, size_t n, const fmi2String w[]) {
  (void)on, (void)n, (void)w;
  return c ? fmi2OK : fmi2Error;
}

FMI2_EXPORT fmi2Component FMI2(fmi2Instantiate)(fmi2String name, fmi2Type type, fmi2String guid, fmi2String resources,
                                                const fmi2CallbackFunctions *call, fmi2Boolean visible,
                                                fmi2Boolean logging) {
  size_t size = 0;
  Instance *m = calloc(1, sizeof *m);
  (void)type, (void)visible, (void)logging;
  if (!m) return NULL;
  m->call = call;
  m->name = malloc(strlen(name ? name : "") + 1);
  if (m->name) strcpy(m->name, name ? name : "");
  m->file = m->name && resources ? renth_read(resources, &size) : NULL;
  if (!m->file) {
    renth_say(call, name, "model.bin cannot be read from the resource location");
  } else if (!renth_take(m, size, guid)) {
    renth_say(call, name, "model.bin is damaged, or the guid is another than that of the model description");
  } else {
    return m;
  }
  renth_free(m);
  return NULL;
}

FMI2_EXPORT void FMI2(fmi2FreeInstance)(fmi2Component c) { renth_free(c); }
FMI2_EXPORT fmi2Status FMI2(fmi2SetupExperiment)(fmi2Component c, fmi2Boolean tolerance_defined, fmi2Real tolerance,
                                                 fmi2Real start, fmi2Boolean stop_defined, fmi2Real stop) {
  (void)tolerance_defined, (void)tolerance, (void)stop_defined, (void)stop;
  if (c) ((Instance *)c)->time = start;
  return c ? fmi2OK : fmi2Error;
}
FMI2_EXPORT fmi2Status FMI2(fmi2EnterInitializationMode)(fmi2Component c) { return c ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2ExitInitializationMode)(fmi2Component c) { return c ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2Terminate)(fmi2Component c) { return c ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2Reset)(fmi2Component c) {
  Instance *m = c;
  if (!m) return fmi2Error;
  memcpy(m->input, m->start, sizeof(double) * (size_t)m->inputs);
  renth_forget(m);
  return fmi2OK;
}

/* Choices are enumerations, from 1 on; inside they count from 0. */
FMI2_EXPORT fmi2Status FMI2(fmi2GetReal)(fmi2Component c, const fmi2ValueReference r[], size_t n, fmi2Real v[]) {
  size_t i;
  for (i = 0; i < n; ++i)
    if (renth_get(c, r[i], &v[i]) != fmi2OK) return fmi2Error;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetInteger)(fmi2Component c, const fmi2ValueReference r[], size_t n, fmi2Integer v[]) {
  size_t i;
  double value = 0;
  for (i = 0; i < n; ++i) {
    if (renth_get(c, r[i], &value) != fmi2OK) return fmi2Error;
    v[i] = (fmi2Integer)value + 1;
  }
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetBoolean)(fmi2Component c, const fmi2ValueReference r[], size_t n, fmi2Boolean v[]) {
  size_t i;
  double value = 0;
  for (i = 0; i < n; ++i) {
    if (renth_get(c, r[i], &value) != fmi2OK) return fmi2Error;
    v[i] = value > 0;
  }
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetReal)(fmi2Component c, const fmi2ValueReference r[], size_t n, const fmi2Real v[]) {
  size_t i;
  for (i = 0; i < n; ++i)
    if (renth_set(c, r[i], v[i]) != fmi2OK) return fmi2Error;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetInteger)(fmi2Component c, const fmi2ValueReference r[], size_t n,
                                            const fmi2Integer v[]) {
  size_t i;
  for (i = 0; i < n; ++i)
    if (renth_set(c, r[i], (double)v[i] - 1) != fmi2OK) return fmi2Error;
  return fmi2OK;
}

/* What there is none of. */
static fmi2Status renth_none(fmi2Component c, size_t n) { return c && n == 0 ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2GetString)(fmi2Component c, const fmi2ValueReference r[], size_t n, fmi2String v[]) {
  (void)r, (void)v;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetString)(fmi2Component c, const fmi2ValueReference r[], size_t n,
                                           const fmi2String v[]) {
  (void)r, (void)v;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetBoolean)(fmi2Component c, const fmi2ValueReference r[], size_t n,
                                            const fmi2Boolean v[]) {
  (void)r, (void)v;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetDirectionalDerivative)(fmi2Component c, const fmi2ValueReference u[], size_t nu,
                                                          const fmi2ValueReference k[], size_t nk, const fmi2Real dk[],
                                                          fmi2Real du[]) {
  (void)c, (void)u, (void)nu, (void)k, (void)nk, (void)dk, (void)du;
  return fmi2Error; /* the model description says that there are none */
}

/* The state is the inputs. */
FMI2_EXPORT fmi2Status FMI2(fmi2GetFMUstate)(fmi2Component c, fmi2FMUstate *state) {
  Instance *m = c;
  if (!m) return fmi2Error;
  if (!*state) *state = malloc(sizeof(double) * ((size_t)m->inputs + 1));
  if (!*state) return fmi2Error;
  memcpy(*state, m->input, sizeof(double) * (size_t)m->inputs);
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetFMUstate)(fmi2Component c, fmi2FMUstate state) {
  Instance *m = c;
  if (!m || !state) return fmi2Error;
  memcpy(m->input, state, sizeof(double) * (size_t)m->inputs);
  renth_forget(m);
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2FreeFMUstate)(fmi2Component c, fmi2FMUstate *state) {
  if (!c) return fmi2Error;
  if (state) {
    free(*state);
    *state = NULL;
  }
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SerializedFMUstateSize)(fmi2Component c, fmi2FMUstate state, size_t *size) {
  if (!c || !state) return fmi2Error;
  *size = sizeof(double) * (size_t)((Instance *)c)->inputs;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SerializeFMUstate)(fmi2Component c, fmi2FMUstate state, fmi2Byte to[], size_t size) {
  if (!c || !state || size < sizeof(double) * (size_t)((Instance *)c)->inputs) return fmi2Error;
  memcpy(to, state, sizeof(double) * (size_t)((Instance *)c)->inputs);
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2DeSerializeFMUstate)(fmi2Component c, const fmi2Byte from[], size_t size,
                                                     fmi2FMUstate *state) {
  if (!c || size != sizeof(double) * (size_t)((Instance *)c)->inputs) return fmi2Error;
  if (!*state) *state = malloc(size + 1);
  if (!*state) return fmi2Error;
  memcpy(*state, from, size);
  return fmi2OK;
}

/* Model exchange: no states, no events. */
FMI2_EXPORT fmi2Status FMI2(fmi2EnterEventMode)(fmi2Component c) { return c ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2NewDiscreteStates)(fmi2Component c, fmi2EventInfo *info) {
  if (!c || !info) return fmi2Error;
  memset(info, 0, sizeof *info);
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2EnterContinuousTimeMode)(fmi2Component c) { return c ? fmi2OK : fmi2Error; }
FMI2_EXPORT fmi2Status FMI2(fmi2CompletedIntegratorStep)(fmi2Component c, fmi2Boolean no_going_back,
                                                         fmi2Boolean *enter_event_mode, fmi2Boolean *terminate) {
  (void)no_going_back;
  if (!c || !enter_event_mode || !terminate) return fmi2Error;
  *enter_event_mode = *terminate = 0;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetTime)(fmi2Component c, fmi2Real time) {
  if (c) ((Instance *)c)->time = time;
  return c ? fmi2OK : fmi2Error;
}
FMI2_EXPORT fmi2Status FMI2(fmi2SetContinuousStates)(fmi2Component c, const fmi2Real x[], size_t n) {
  (void)x;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetDerivatives)(fmi2Component c, fmi2Real x[], size_t n) {
  (void)x;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetEventIndicators)(fmi2Component c, fmi2Real x[], size_t n) {
  (void)x;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetContinuousStates)(fmi2Component c, fmi2Real x[], size_t n) {
  (void)x;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetNominalsOfContinuousStates)(fmi2Component c, fmi2Real x[], size_t n) {
  (void)x;
  return renth_none(c, n);
}

/* Co-simulation: a step takes no time. */
FMI2_EXPORT fmi2Status FMI2(fmi2SetRealInputDerivatives)(fmi2Component c, const fmi2ValueReference r[], size_t n,
                                                         const fmi2Integer order[], const fmi2Real v[]) {
  (void)r, (void)order, (void)v;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetRealOutputDerivatives)(fmi2Component c, const fmi2ValueReference r[], size_t n,
                                                          const fmi2Integer order[], fmi2Real v[]) {
  (void)r, (void)order, (void)v;
  return renth_none(c, n);
}
FMI2_EXPORT fmi2Status FMI2(fmi2DoStep)(fmi2Component c, fmi2Real at, fmi2Real step, fmi2Boolean no_going_back) {
  (void)no_going_back;
  if (!c) return fmi2Error;
  ((Instance *)c)->time = at + step;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2CancelStep)(fmi2Component c) {
  (void)c;
  return fmi2Error; /* none is ever under way */
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetStatus)(fmi2Component c, fmi2StatusKind kind, fmi2Status *v) {
  (void)kind;
  if (c && v) *v = fmi2OK;
  return c && v ? fmi2OK : fmi2Error;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetRealStatus)(fmi2Component c, fmi2StatusKind kind, fmi2Real *v) {
  if (!c || !v || kind != fmi2LastSuccessfulTime) return fmi2Discard;
  *v = ((Instance *)c)->time;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetIntegerStatus)(fmi2Component c, fmi2StatusKind kind, fmi2Integer *v) {
  (void)c, (void)kind, (void)v;
  return fmi2Discard;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetBooleanStatus)(fmi2Component c, fmi2StatusKind kind, fmi2Boolean *v) {
  if (!c || !v || kind != fmi2Terminated) return fmi2Discard;
  *v = 0;
  return fmi2OK;
}
FMI2_EXPORT fmi2Status FMI2(fmi2GetStringStatus)(fmi2Component c, fmi2StatusKind kind, fmi2String *v) {
  (void)c, (void)kind, (void)v;
  return fmi2Discard;
}
