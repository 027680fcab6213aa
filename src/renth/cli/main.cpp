// renth: parse, call the library, print. Exit status: 0 done, 1 the answer needs a human, 2 the request
// is wrong, 3 the solver failed for some run, 4 the store or the machine failed.
#include <renth/cli/run.hpp>

int main(int argc, char** argv) {
  return renth::cli::run({argv + (argc > 0 ? 1 : 0), argv + argc});
}
