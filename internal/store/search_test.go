package store

import (
	"reflect"
	"testing"
)

// A list shows labels in the order in which somebody gave them.
func TestLabelsKeepTheirOrder(t *testing.T) {
	got := labelList("department tenders 10 model mill-2 1 department hiring 9").ByFacet()
	want := map[string][]string{"department": {"hiring", "tenders"}, "model": {"mill-2"}}
	if !reflect.DeepEqual(got, want) {
		t.Errorf("got %v, want %v", got, want)
	}
	if got := labelList("").ByFacet(); got == nil || len(got) != 0 {
		t.Errorf("no labels are %v", got)
	}
}
