// Programs that are asked something and answer at once, such as those of a scheduler.
#pragma once
#include <string>
#include <vector>

namespace renth {

struct ToolAnswer {
  int status = 0;  ///< exit status; 128 + signal if it was killed
  std::string out, err;
};

/// Runs a program with no input and waits for it. \param keep_open  a file descriptor that it shall hold open
/// as long as it lives, so that a lock outlives us with it; −1: none. \param folder  where it runs; empty:
/// here. \throws Error (machine)  it cannot be started; `purpose` says what for.
ToolAnswer ask_tool(const std::vector<std::string>& words, const std::string& purpose, int keep_open = -1,
                    const std::string& folder = "");

}  // namespace renth
