package catalog_test

import (
	"testing"

	"rubricon/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }
