package store

import (
	"errors"
	"strconv"
	"strings"
	"time"
)

// Event is one change, for the record.
type Event struct {
	At      time.Time      `json:"at"`
	By      int64          `json:"by"`   // 0 for the service itself
	Role    string         `json:"role"` // that they act by; empty asks nothing of them
	Via     string         `json:"via"`  // client, console, api, import or service
	Action  string         `json:"action"`
	EntryID int64          `json:"entry_id"` // 0 for what is of no entry
	Number  int            `json:"number"`   // of its version; 0 for none
	Detail  map[string]any `json:"detail"`
}

// The callers are named before any row is sealed.
const addEvents = `
insert into events (at, person_id, via, action, entry_id, number, detail)
select at, nullif(by, 0), via, action, nullif(entry_id, 0), nullif(number, 0), detail
from (select set_config('goldshelf.callers', $2, true) offset 0) callers,
     jsonb_to_recordset($1::jsonb) as e (at timestamptz, by bigint, role text, via text, action text, entry_id bigint, number int, detail jsonb)
where by = 0 or role = '' or exists (select from people p where p.id = e.by and p.active and p.role = e.role)
returning id`

// ErrRoleLost means that whoever acts has lost the role by which they do, meanwhile.
var ErrRoleLost = errors.New("the role was lost meanwhile")

// AddEvents adds to the record of changes, in order, and gives the numbers; callers are
// those who act in the transaction. From here until it ends every other that records
// anything waits: it comes last. It gives ErrRoleLost if any of them may no longer act.
func (tx Tx) AddEvents(events []Event, callers []int64) (numbers []int64, err error) {
	for i, e := range events {
		if e.Detail == nil {
			events[i].Detail = map[string]any{}
		}
	}
	text, err := jsonText(events)
	if err != nil {
		return nil, err
	}
	names := make([]string, len(callers))
	for i, id := range callers {
		names[i] = strconv.FormatInt(id, 10)
	}
	if err := tx.all(&numbers, addEvents, text, strings.Join(names, ",")); err != nil {
		return nil, err
	}
	if len(numbers) < len(events) {
		return nil, ErrRoleLost
	}
	return numbers, nil
}
