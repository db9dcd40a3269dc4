// SPDX-License-Identifier: MIT
// What a shared library of Boreon shows: the namespace of the public headers. All else is hidden.
#pragma once

#if defined(__GNUC__)
#define BOREON_API __attribute__((visibility("default")))
#else
#define BOREON_API
#endif
