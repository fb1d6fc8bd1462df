package stocktake_test

import (
	"os"
	"testing"

	"goldshelf/internal/testdb"
)

var databases *testdb.Server

func TestMain(m *testing.M) { os.Exit(testdb.Run(m, &databases)) }
