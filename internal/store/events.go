package store

import "time"

// Event is one change, for the record.
type Event struct {
	At      time.Time      `json:"at"`
	By      int64          `json:"by"`  // 0 for the service itself
	Via     string         `json:"via"` // client, console, api, import or service
	Action  string         `json:"action"`
	EntryID int64          `json:"entry_id"` // 0 for what is of no entry
	Number  int            `json:"number"`   // of its version; 0 for none
	Detail  map[string]any `json:"detail"`
}

const addEvents = `
insert into events (at, person_id, via, action, entry_id, number, detail)
select at, nullif(by, 0), via, action, nullif(entry_id, 0), nullif(number, 0), detail
from jsonb_to_recordset($1::jsonb) as e (at timestamptz, by bigint, via text, action text, entry_id bigint, number int, detail jsonb)
returning id`

// AddEvents adds to the record of changes, in order, and gives the numbers. From here
// until the transaction ends every other that records anything waits: it comes last.
func (tx Tx) AddEvents(events []Event) (numbers []int64, err error) {
	for i, e := range events {
		if e.Detail == nil {
			events[i].Detail = map[string]any{}
		}
	}
	text, err := jsonText(events)
	if err != nil {
		return nil, err
	}
	return numbers, tx.all(&numbers, addEvents, text)
}
