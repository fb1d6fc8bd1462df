package work

import "strconv"

// NumberCursor reads a cursor that is the number where the page before ended, up to
// most; 0 where there is none.
func NumberCursor(cursor string, most int64) (int64, error) {
	if cursor == "" {
		return 0, nil
	}
	n, err := strconv.ParseInt(cursor, 10, 64)
	if err != nil || n < 1 || n > most {
		return 0, Wrong("/cursor", "cursor", "the cursor is none that a page gave; leave it out for the newest")
	}
	return n, nil
}

// Cursor is a number where a page ended, as NumberCursor reads it.
func Cursor(n int64) string { return strconv.FormatInt(n, 10) }

// PageOf cuts rows, of which one more than limit was asked for, to a page, and gives
// the cursor of the next: the number of the page's last row, or nothing.
func PageOf[T any](rows []T, limit int, number func(T) int64) (page []T, next string) {
	if len(rows) <= limit {
		return rows, ""
	}
	return rows[:limit], strconv.FormatInt(number(rows[limit-1]), 10)
}
