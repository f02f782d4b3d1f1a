package offer_test

import (
	"os"
	"testing"
)

// Zones come from a file of the tests' own, so that they say the same on every
// machine, whichever data it has.
func TestMain(m *testing.M) {
	_ = os.Setenv("ZONEINFO", "../hours/testdata/zoneinfo.zip")
	os.Exit(m.Run())
}
