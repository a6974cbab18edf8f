#include "value_checks.h"

#include <cstdio>
#include <string>

namespace reed::cli {

CLI::Validator number_between(double minimum, double maximum) {
    return {[minimum, maximum](std::string& text) {
                double value = 0.0;
                // NaN is neither above nor below anything.
                const bool inside =
                    CLI::detail::lexical_cast(text, value) && value >= minimum && value <= maximum;
                if (inside) return std::string();
                char why[120];
                std::snprintf(why, sizeof why, "must be a number from %g to %g", minimum, maximum);
                return std::string(why) + " and is “" + text + "”";
            },
            ""};
}

}  // namespace reed::cli
