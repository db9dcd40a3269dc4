#include "request.hpp"
namespace boreon::cli { Answer demo(const Request&) { return {}; } }
