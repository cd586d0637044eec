// Result<T>: errors as values at the boundaries (file, JSON, device).
#pragma once

#include <cassert>
#include <string>
#include <utility>
#include <variant>

namespace cask {

enum class ErrorCode {
    NotFound,
    NotReadable,
    NotWritable,
    NoSpace,
    Exists,
    IsSource,
    InUse,
    ChangedOnDisk,
    BadFormat,
    Empty,
    Truncated,
    Unsupported,
    NewerVersion,
    BadValue,
    RouteLoop,
    Device,
    Cancelled,
};

/// Short stable name of a code, for JSON output and logs.
[[nodiscard]] constexpr const char* codeName(ErrorCode code) {
    switch (code) {
    case ErrorCode::NotFound:
        return "not_found";
    case ErrorCode::NotReadable:
        return "not_readable";
    case ErrorCode::NotWritable:
        return "not_writable";
    case ErrorCode::NoSpace:
        return "no_space";
    case ErrorCode::Exists:
        return "exists";
    case ErrorCode::IsSource:
        return "is_source";
    case ErrorCode::InUse:
        return "in_use";
    case ErrorCode::ChangedOnDisk:
        return "changed_on_disk";
    case ErrorCode::BadFormat:
        return "bad_format";
    case ErrorCode::Empty:
        return "empty";
    case ErrorCode::Truncated:
        return "truncated";
    case ErrorCode::Unsupported:
        return "unsupported";
    case ErrorCode::NewerVersion:
        return "newer_version";
    case ErrorCode::BadValue:
        return "bad_value";
    case ErrorCode::RouteLoop:
        return "route_loop";
    case ErrorCode::Device:
        return "device";
    case ErrorCode::Cancelled:
        return "cancelled";
    }
    return "";
}

/// One clear sentence that names the file or node first, and a code to act on.
struct [[nodiscard]] Error {
    ErrorCode code;
    std::string message;
};

/// A value or an Error. Reading the value of a failed result is a broken promise (asserted).
template <class T> class [[nodiscard]] Result {
  public:
    Result(T value) : m_data(std::in_place_index<0>, std::move(value)) {}
    Result(Error error) : m_data(std::in_place_index<1>, std::move(error)) {}

    [[nodiscard]] bool ok() const { return m_data.index() == 0; }
    explicit operator bool() const { return ok(); }
    [[nodiscard]] T& value() {
        assert(ok());
        return std::get<0>(m_data);
    }
    [[nodiscard]] const T& value() const {
        assert(ok());
        return std::get<0>(m_data);
    }
    T& operator*() { return value(); }
    const T& operator*() const { return value(); }
    T* operator->() { return &value(); }
    const T* operator->() const { return &value(); }
    [[nodiscard]] const Error& error() const {
        assert(!ok());
        return std::get<1>(m_data);
    }

  private:
    std::variant<T, Error> m_data;
};

/// For actions that return nothing.
struct Done {};
using Status = Result<Done>;

} // namespace cask
