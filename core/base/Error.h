#pragma once
/// The exceptions of the program. A message is one sentence for the person at the screen: it names the file or part,
/// says what is wrong and what to do.
#include <stdexcept>
#include <string>

namespace um {

/// An error for the user. The interface and the command line each catch it in one place.
class Error : public std::runtime_error {
public:
    using std::runtime_error::runtime_error;
};

/// A file cannot be read or written.
class FileError : public Error {
public:
    using Error::Error;
};

/// A mesh does not allow the operation.
class MeshError : public Error {
public:
    using Error::Error;
};

/// What was typed (a target, a length, a screen) cannot be understood.
class InputError : public Error {
public:
    using Error::Error;
};

/// The computation was asked to stop. Not an Error, because there is nothing to report.
class Cancelled : public std::exception {
public:
    const char* what() const noexcept override { return "cancelled"; }
};

}  // namespace um
