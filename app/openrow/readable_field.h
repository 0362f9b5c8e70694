// This file gives screen readers the number fields as spin boxes and lists of choices, with their values.
#pragma once

namespace ivrin::app {

/// Once: from then on every number field answers as what it is.
void makeFieldsReadable();

} // namespace ivrin::app
