// Modules: parts of renth that lie beside it and are loaded only when they are needed, because the libraries
// that they bring would double the start of every command.
#pragma once
#include <string>

namespace renth {

/// A function that a module exports, from beside the program or from where it is installed.
/// \param instead  what can be done without it.
/// \throws Error (machine)  the module is not there, or cannot be loaded.
void* module_symbol(const std::string& module, const char* symbol, const std::string& instead);

/// The path of a module. \throws Error  as module_symbol().
std::string module_file(const std::string& module, const std::string& instead);

/// Another folder in which modules are looked for first: of a program that is not ours, such as an
/// interpreter.
void set_module_folder(const std::string& folder);

/// Would module_symbol() find the file?
bool has_module(const std::string& module);

}  // namespace renth
