package asking

import (
	"errors"
	"fmt"
	"slices"

	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

// A reply that has not come yet is thought to have so many tokens.
const usualTokens = 300

// Asked has what somebody has added be asked, once the unit is kept: if what they, and their
// department, may use up this month holds that and all else that they wait for. Its error is a
// [problem.List], with which the unit ends, so that nothing is asked. Two who ask at the same
// time are counted one after the other. The unit looks as that person does.
func (a *Asking) Asked(u *work.Unit, person int64) error {
	a.Wake(u)
	some, err := u.LockAllowances(person)
	if err != nil || !some {
		return err
	}
	if err := u.LookAtAll(); err != nil {
		return err
	}
	all, err := u.Allowances(person)
	if err != nil {
		return err
	}
	b, err := u.RegisterBudget()
	if err != nil {
		return err
	}
	var wrong problem.List
	for _, l := range all {
		words, money, err := u.Awaited(l.Person, l.Department, usualTokens)
		if err != nil {
			return err
		}
		if says := passes(l, words, money, b.Currency); says != "" {
			wrong.Add("", "allowance", "%s", says)
		}
	}
	return errors.Join(wrong.Err(), u.Look(person))
}

// passes says that an allowance would be passed by what is awaited, or "".
func passes(l store.Allowance, words int64, money float64, currency string) string {
	whose := "yours"
	if l.Department != "" {
		whose = "that of " + l.Department
	}
	switch {
	case l.Words != nil && l.SpentWords+words > *l.Words:
		return fmt.Sprintf("this would pass an allowance, %s: it would take about %d words, and %d of %d are left this month; ask a curator, or ask for less", whose, words, max(0, *l.Words-l.SpentWords), *l.Words)
	case l.Money != nil && l.SpentMoney+money > *l.Money:
		return fmt.Sprintf("this would pass an allowance, %s: it would cost about %.2f %s, and %.2f of %.2f are left this month; ask a curator, or ask for less", whose, money, currency, max(0, *l.Money-l.SpentMoney), *l.Money)
	}
	return ""
}

// withoutSpentUp ends those replies for which there is nothing left this month, and gives the
// others.
func withoutSpentUp(u *work.Unit, rows []store.Reply) ([]store.Reply, error) {
	ids := make([]string, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	up, err := u.SpentUp(ids)
	if err != nil || len(up) == 0 {
		return rows, err
	}
	var ended, left []store.Reply
	for _, r := range rows {
		if !slices.Contains(up, r.ID) {
			left = append(left, r)
			continue
		}
		r.State, r.Problem.Text = store.ReplyFailed, message.Say("an allowance for this month is used up; what failed can be asked again once there is more")
		ended = append(ended, r)
	}
	return left, u.EndReplies(ended)
}
