package words

import (
	"fmt"
	"strings"

	"golang.org/x/text/currency"
)

// signs are those that people read before an amount.
var signs = map[string]string{"EUR": "€", "GBP": "£", "USD": "$"}

// MoneyDigits returns how many digits the smaller unit of a currency (ISO 4217) has, and whether
// there is such a currency.
func MoneyDigits(code string) (digits int, ok bool) {
	unit, err := currency.ParseISO(code)
	if err != nil || code != strings.ToUpper(code) {
		return 0, false
	}
	digits, _ = currency.Standard.Rounding(unit)
	return digits, true
}

// Money says an amount in the smallest unit of a currency: €95.00.
func Money(amount int64, code string) string {
	digits, _ := MoneyDigits(code)
	whole, part := amount, int64(1)
	for range digits {
		part *= 10
	}
	text := fmt.Sprint(whole / part)
	if digits > 0 {
		text += fmt.Sprintf(".%0*d", digits, amount%part)
	}
	if sign, ok := signs[code]; ok {
		return sign + text
	}
	return text + " " + code
}
