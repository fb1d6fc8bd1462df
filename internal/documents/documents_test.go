package documents

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"goldshelf/core/document"
)

// TestMain makes the test's own program the one that reads.
func TestMain(m *testing.M) {
	if IsAsked(os.Args) {
		if os.Getenv("GOMEMLIMIT") == "" {
			os.Exit(9)
		}
		data := new(bytes.Buffer)
		if _, err := data.ReadFrom(os.Stdin); err != nil {
			os.Exit(9)
		}
		if bytes.Contains(data.Bytes(), []byte("% eats memory")) {
			os.Exit(eat())
		}
		os.Exit(Main(data, os.Stdout, os.Stderr))
	}
	os.Exit(m.Run())
}

// eat takes memory until there is no more.
func eat() int {
	Main(strings.NewReader(""), os.Stderr, os.Stderr) // sets the limits
	var all [][]byte
	for range 1 << 12 {
		block := make([]byte, 4<<20)
		for i := 0; i < len(block); i += 4096 {
			block[i] = 1
		}
		all = append(all, block)
	}
	return len(all) % 2
}

func portable(more string) []byte {
	var b bytes.Buffer
	var at []int
	object := func(text string) {
		at = append(at, b.Len())
		fmt.Fprintf(&b, "%d 0 obj\n%s\nendobj\n", len(at), text)
	}
	contents := "BT /F1 12 Tf 1 0 0 1 50 800 Tm (Some words.) Tj ET"
	b.WriteString("%PDF-1.4\n" + more)
	object("<</Type/Catalog/Pages 2 0 R>>")
	object("<</Type/Pages/Kids[5 0 R]/Count 1>>")
	object("<</Type/Font/Subtype/Type1/BaseFont/Helvetica/FirstChar 32/LastChar 33/Widths[500 500]>>")
	object(fmt.Sprintf("<</Length %d>>\nstream\n%s\nendstream", len(contents), contents))
	object("<</Type/Page/Parent 2 0 R/Contents 4 0 R/Resources<</Font<</F1 3 0 R>>>>>>")
	xref := b.Len()
	fmt.Fprintf(&b, "xref\n0 %d\n0000000000 65535 f \n", len(at)+1)
	for _, a := range at {
		fmt.Fprintf(&b, "%010d 00000 n \n", a)
	}
	fmt.Fprintf(&b, "trailer\n<</Size %d/Root 1 0 R>>\nstartxref\n%d\n%%%%EOF\n", len(at)+1, xref)
	return b.Bytes()
}

// A .pdf is read apart, and what cannot be read is said; one that takes too much ends alone.
func TestApart(t *testing.T) {
	t.Parallel()
	r := Self()
	if got, err := r.Text(t.Context(), portable("")); err != nil || got != "Some words.\n" {
		t.Errorf("%q, %v", got, err)
	}
	var says document.Unreadable
	if _, err := r.Text(t.Context(), portable("")[:300]); !errors.As(err, &says) || !strings.Contains(err.Error(), "cut short") {
		t.Errorf("cut short: %v", err)
	}
	if _, err := r.Text(t.Context(), portable("% eats memory\n")); !errors.As(err, &says) || !strings.Contains(err.Error(), "time or memory") {
		t.Errorf("one that takes too much: %v", err)
	}
	if got, err := r.Text(t.Context(), []byte("words")); err != nil || got != "words" {
		t.Errorf("%q, %v", got, err)
	}
}

// However many bring one at the same time, so many processes read at once; who does not wait
// any longer leaves.
func TestSoManyAreReadAtOnce(t *testing.T) {
	t.Parallel()
	dir := t.TempDir()
	program := filepath.Join(dir, "reads")
	script := "#!/bin/sh\nd=\"" + dir + "\"\nmkdir -p $d/now; : > $d/now/$$; ls $d/now | wc -l >> $d/most; sleep 0.2; rm $d/now/$$; echo read\n"
	if err := os.WriteFile(program, []byte(script), 0o700); err != nil {
		t.Fatal(err)
	}
	r := Reader{program, make(chan struct{}, atOnce)}
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			if text, err := r.Text(t.Context(), portable("")); err != nil || text != "read\n" {
				t.Errorf("%q, %v", text, err)
			}
		})
	}
	all.Wait()
	most, err := os.ReadFile(filepath.Join(dir, "most"))
	if err != nil {
		t.Fatal(err)
	}
	counts := strings.Fields(string(most))
	if len(counts) != 8 || slices.Max(counts) > fmt.Sprint(atOnce) {
		t.Errorf("so many were read at once: %v", counts)
	}
	for range atOnce {
		r.room <- struct{}{}
	}
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Millisecond)
	defer cancel()
	if _, err := r.Text(ctx, portable("")); !errors.Is(err, context.DeadlineExceeded) {
		t.Errorf("who waits no longer gets %v", err)
	}
}
