package store

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"strings"
	"testing"
)

// landed are the hashes of what libraries out there were made by, and of the functions
// under their number. A migration that has landed never changes: what is to be another
// way comes in a new one.
var landed = map[string]string{
	"migrations/00001_library.sql":           "67d90eb1daef4e57",
	"migrations/00002_policies.sql":          "234d986997512cbd",
	"migrations/00003_retiring.sql":          "067a436eb0d0eb5a",
	"migrations/00004_gathering.sql":         "d9789e8ec33b701d",
	"migrations/00005_keeping.sql":           "a8f8396155d26698",
	"migrations/00006_audit.sql":             "b0e2f9afe7765c79",
	"migrations/00007_comments.sql":          "37d03cc0dd8ac6e9",
	"migrations/00008_telling.sql":           "e9d6536674d0fc04",
	"migrations/00009_saving.sql":            "efa85887bab81694",
	"migrations/00010_labels_of_entries.sql": "8be0b55b55ad2b8d",
	"migrations/00011_the_library.sql":       "1eddead31c701d25",
	"migrations/00012_approvals.sql":         "cbefcb84b68b746d",
	"migrations/00013_sign_in.sql":           "30474c694f352a67",
	"migrations/00014_record.sql":            "738d3c33385a349f",
	"migrations/00015_asked_often.sql":       "22b535770d4c3e7c",
	"migrations/00016_search.sql":            "b3b5c78054cda9dd",
	"migrations/00017_terms.sql":             "cb4f65a21cba015d",
	"migrations/00018_favourites.sql":        "39d5e53e7b67f5d8",
	"migrations/00019_missed_searches.sql":   "a5bcf8fc2d232213",
	"migrations/00020_uses.sql":              "099645d0db646afe",
	"migrations/00021_names.sql":             "fcef7ce03cdfdde6",
	"migrations/00022_origins.sql":           "30c30146684d9eb3",
	"migrations/00023_sections.sql":          "77e3271455d3a637",
	"migrations/00024_facets.sql":            "870b43fa74498c5f",
	"migrations/00025_pictures.sql":          "6edaef900c6c5da4",
	"migrations/00026_labels_number.sql":     "541fb1a27b38161e",
	"migrations/00027_samples.sql":           "a2c14a777af26aa6",
	"migrations/00028_question_sets.sql":     "8f25dd0f4b3a94f2",
	"migrations/00029_register.sql":          "4cea6b4af5c38107",
	"migrations/00030_measured.sql":          "35777b7fd122d203",
	"migrations/00031_talks.sql":             "52853ea00860c18c",
	"migrations/00032_trials.sql":            "c87767b346569319",
	"migrations/00033_helps.sql":             "084e8704e936cdac",
	"migrations/00034_runs.sql":              "bc5fbea3f8b4dbbd",
	"migrations/00035_proposals.sql":         "4f5e7812f3d96ba0",
	"migrations/00036_allowances.sql":        "1a7a18dd50cd0b4a",
	"migrations/00037_changes.sql":           "b1e3882e41ae70e2",
	"migrations/00038_secrets.sql":           "c9d108e24c3ef7ea",
	"migrations/00039_assistants.sql":        "1033deffc04f47ac",
	"migrations/00040_keys.sql":              "0e9d9a7d7ec01536",
	"migrations/00041_held.sql":              "3272eb7aa55b3f73",
	"migrations/00042_sign_on.sql":           "47657d8dfb6fe07c",
	"migrations/00043_codes.sql":             "fd3a302c074d7699",
	"migrations/00044_provisioned.sql":       "e90749b44f78822d",
	"migrations/00045_leaving.sql":           "55be7ec5adc77ef6",
	"migrations/00046_stocktake.sql":         "bf253e3683c25b25",
	"migrations/00047_languages.sql":         "44bfb9ed02fef3eb",
	"migrations/00048_reports.sql":           "d1f42c13e2faa9de",
	"migrations/00049_thanks.sql":            "204fdef3579933ff",
	"migrations/00050_unopened_searches.sql": "0004aef692615d94",
	"migrations/00051_spent_on.sql":          "23ac910837da3325",
	"migrations/00052_set_aside.sql":         "75e8036d123ee33d",
	"routines 1":                             "8af20e4ad3e6af9d",
	"routines 2":                             "f239c10890c65985",
	"routines 3":                             "38a5c1d97a4b1b4b",
	"routines 4":                             "dbf750942c9b46df",
	"routines 5":                             "d064b051c00b716f",
	"routines 6":                             "9f1955d4f6c1e5f3",
	"routines 7":                             "913e816d87c4e5d6",
	"routines 8":                             "aa2b15f55a6ee0ac",
	"routines 9":                             "1b3544f977ae47f4",
}

func TestWhatHasLandedStays(t *testing.T) {
	t.Parallel()
	files, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil || len(files) < 14 {
		t.Fatalf("there are %d migrations, %v", len(files), err)
	}
	sum := func(text []byte) string { h := sha256.Sum256(text); return hex.EncodeToString(h[:8]) }
	for _, name := range files {
		text, err := fs.ReadFile(migrations, name)
		if err != nil {
			t.Fatal(err)
		}
		switch want, is := landed[name]; {
		case !is:
			t.Errorf("%s has no hash here: add it once it is as it is to stay: %s", name, sum(text))
		case sum(text) != want:
			t.Errorf("%s is another than the one that libraries were made by", name)
		}
		var number int
		if _, err := fmt.Sscanf(name, "migrations/%d_", &number); err != nil {
			t.Fatal(err)
		}
		// Those before had no way to say it; 14 says it for them.
		if number >= 14 && !strings.Contains(string(text), fmt.Sprintf("insert into schema_needs values (%d, ", number)) {
			t.Errorf("%s does not say which is the oldest program that can live with it", name)
		}
	}
	if key := fmt.Sprintf("routines %d", routinesNumber); landed[key] != sum([]byte(routines)) {
		t.Errorf("routines.sql has changed: raise routinesNumber, if it has landed, and write down %q: %q", key, sum([]byte(routines)))
	}
}
