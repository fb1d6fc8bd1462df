package intime

import (
	"testing"
	"time"
)

func TestProcessor(t *testing.T) {
	t.Parallel()
	if took := processor(func() { time.Sleep(150 * time.Millisecond) }); took > 100*time.Millisecond {
		t.Errorf("waiting takes %s", took)
	}
	if took := processor(func() {
		for end := time.Now().Add(time.Second); time.Now().Before(end); {
		}
	}); took < 20*time.Millisecond {
		t.Errorf("working for a second takes %s", took)
	}
}
