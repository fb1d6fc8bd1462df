package trials

import (
	"archive/zip"
	"bytes"
	"context"
	"fmt"
	"hash/fnv"
	"io"
	"math"
	"slices"
	"strings"

	"goldshelf/api"
	"goldshelf/core/bundle"
	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/trial"
	"goldshelf/internal/access"
	"goldshelf/internal/store"
	"goldshelf/internal/work"
)

const level = 0.95

// Trial gives a trial as far as it has come.
func (s *Service) Trial(ctx context.Context, by work.Caller, id string) (api.Trial, error) {
	return work.See(ctx, s.db, func(v work.View) (api.Trial, error) { return s.shown(v.Reader, by, id) })
}

func (s *Service) shown(r store.Reader, by work.Caller, id string) (api.Trial, error) {
	one, err := access.SeeTrial(r, by, id)
	if err != nil {
		return api.Trial{}, err
	}
	t := one.Trial
	budget, err := r.RegisterBudget()
	if err != nil {
		return api.Trial{}, err
	}
	out := api.Trial{TrialItem: item(t), Plan: t.Plan.V, Says: says(t.Plan.V.Expectations), Unchecked: t.Unchecked, Currency: budget.Currency, MayChange: one.MayChange(by)}
	known, err := read(r, t)
	if err != nil {
		return out, err
	}
	out.Cells = known.cells()
	out.Figures = known.figures()
	out.Sentences = sentences(t.Plan.V, out.Figures)
	if out.Changes, err = changes(r, t, known); err != nil {
		return out, err
	}
	out.Cost = known.cost()
	out.Judges = known.judges()
	out.Preference, err = preference(r, t, known)
	return out, err
}

// known is all that is known of a trial's replies.
type known struct {
	t       store.Trial
	replies []store.TrialReply
	marks   map[string][]store.Mark // by reply
	seed    uint64
}

func read(r store.Reader, t store.Trial) (known, error) {
	k, err := marked(r, t)
	if err != nil {
		return k, err
	}
	k.replies, err = r.TrialReplies(t.ID, false, -1, -1)
	return k, err
}

// marked is what people have said, without the replies.
func marked(r store.Reader, t store.Trial) (known, error) {
	k := known{t: t, marks: map[string][]store.Mark{}, seed: seedOf(t.ID)}
	marks, err := r.Marks(t.ID)
	for _, m := range marks {
		k.marks[m.Reply] = append(k.marks[m.Reply], m)
	}
	return k, err
}

// seedOf has a trial's figures be the same whenever they are worked out.
func seedOf(id string) uint64 {
	h := fnv.New64a()
	h.Write([]byte(id))
	return h.Sum64()
}

// outcomes gives what came of a reply's expectations, people's marks among them: what most of
// them say, and nothing where they are of two minds.
func (k known) outcomes(r store.TrialReply) []trial.Observation {
	expected := k.t.Plan.V.Expectations
	all := make([]trial.Observation, len(expected))
	for i, e := range expected {
		all[i].State = trial.Unknown
		if i < len(r.Outcomes.V) {
			all[i] = r.Outcomes.V[i]
		}
		if e.Kind != trial.ByPerson {
			continue
		}
		yes, no := k.marked(r.ID, i)
		all[i].Note = message.Say("%d say yes, %d no", yes, no)
		switch {
		case yes > no:
			all[i].State = trial.Met
		case no > yes:
			all[i].State = trial.Missed
		case yes+no == 0:
			all[i].Note = message.Say("nobody has marked it")
		}
	}
	return all
}

func (k known) marked(reply string, expectation int) (yes, no int) {
	for _, m := range k.marks[reply] {
		switch {
		case m.Expectation != expectation:
		case m.Met:
			yes++
		default:
			no++
		}
	}
	return yes, no
}

// judgedReplies gives the replies that are there and were looked at, as figures need them.
func (k known) judgedReplies() (all []trial.Reply) {
	for _, r := range k.replies {
		if r.State != store.ReplyDone || !r.Checked {
			continue
		}
		one := trial.Reply{Fill: r.Fill, SetUp: r.SetUp, Words: float64(r.Words), Seconds: float64(r.WholeMS) / 1000, Tokens: float64(r.TokensOut), Cost: math.NaN()}
		if r.Cost != nil {
			one.Cost = *r.Cost
		}
		for _, o := range k.outcomes(r) {
			one.Met = append(one.Met, o.State)
		}
		all = append(all, one)
	}
	return all
}

func (k known) figures() trial.Figures {
	return trial.NewFigures(k.t.Plan.V.Size(), k.judgedReplies(), k.t.Plan.V.Matters, k.seed)
}

func (k known) cells() []api.TrialCell {
	size := k.t.Plan.V.Size()
	all := make([]api.TrialCell, size.Fills*size.SetUps)
	for i := range all {
		all[i] = api.TrialCell{Fill: i / size.SetUps, SetUp: i % size.SetUps, ByEach: make([]int, size.Expectations)}
	}
	for _, r := range k.replies {
		c := &all[r.Fill*size.SetUps+r.SetUp]
		c.Replies++
		switch r.State {
		case store.ReplyWaiting, store.ReplyRunning:
			c.Awaited++
		case store.ReplyFailed:
			c.Failed++
		case store.ReplyStopped:
			c.Stopped++
		case store.ReplyDone:
			if !r.Checked {
				continue
			}
			one := trial.Reply{}
			for i, o := range k.outcomes(r) {
				one.Met = append(one.Met, o.State)
				if o.State == trial.Met {
					c.ByEach[i]++
				}
			}
			switch one.All() {
			case trial.Met:
				c.Met++
				c.Known++
			case trial.Missed:
				c.Known++
			}
		}
	}
	return all
}

func (k known) cost() *float64 {
	sum, any := 0.0, false
	for _, r := range k.replies {
		if r.Cost != nil {
			sum, any = sum+*r.Cost, true
		}
	}
	if !any {
		return nil
	}
	return &sum
}

// judges says how prompts that judge agree with people.
func (k known) judges() (all []api.TrialJudge) {
	for i, e := range k.t.Plan.V.Expectations {
		if e.Kind != trial.ByPrompt {
			continue
		}
		j := api.TrialJudge{Expectation: i, Prompt: e.Text}
		var pairs trial.Pairs
		for _, r := range k.replies {
			yes, no := k.marked(r.ID, i)
			if yes == no || i >= len(r.Outcomes.V) || r.Outcomes.V[i].State == trial.Unknown {
				continue
			}
			j.Marked++
			switch met := r.Outcomes.V[i].State == trial.Met; {
			case met && yes > no:
				pairs.Both++
			case met:
				pairs.First++
			case yes > no:
				pairs.Second++
			default:
				pairs.Neither++
			}
		}
		if a, ok := trial.Kappa(pairs, level); ok {
			j.Kappa = &a
		}
		all = append(all, j)
	}
	return all
}

func sentences(p trial.Design, f trial.Figures) (all []api.TrialSentence) {
	all = []api.TrialSentence{}
	for _, c := range f.Contrasts {
		does := trial.EverySays()
		if c.Expectation >= 0 {
			does = p.Expectations[c.Expectation].Says()
		} else if len(p.Expectations) == 1 {
			does = p.Expectations[0].Says()
		}
		if len(p.Expectations) == 0 {
			continue
		}
		all = append(all, api.TrialSentence{Expectation: c.Expectation, Verdict: c.Verdict, Text: c.Sentence(p.SetUps[c.First].Title, p.SetUps[c.Second].Title, does)})
	}
	return all
}

// preference says which of the first two set-ups people found better, blind.
func preference(r store.Reader, t store.Trial, k known) (*api.TrialPreference, error) {
	all, err := r.Preferences(t.ID)
	if err != nil || len(all) == 0 {
		return nil, err
	}
	setUp := map[string]int{}
	for _, p := range k.replies {
		setUp[p.ID] = p.SetUp
	}
	sets := t.Plan.V.SetUps
	out := api.TrialPreference{First: sets[0].Title, Second: sets[1].Title}
	people := map[int64]bool{}
	units := map[string]map[int64]string{}
	for _, p := range all {
		people[p.Person] = true
		answer := p.Better
		if answer != "neither" && (setUp[p.First] == 0) == (answer == "first") {
			answer = "a"
			out.ForFirst++
		} else if answer != "neither" {
			answer = "b"
			out.ForOther++
		} else {
			out.Neither++
		}
		key := min(p.First, p.Second) + max(p.First, p.Second)
		if units[key] == nil {
			units[key] = map[int64]string{}
		}
		units[key][p.Person] = answer
	}
	out.People = len(people)
	if n := out.ForFirst + out.ForOther; n > 0 {
		out.Share = float64(out.ForFirst) / float64(n)
	}
	out.Interval = trial.Wilson(out.ForFirst, out.ForFirst+out.ForOther, level)
	out.P = trial.SignTest(out.ForFirst, out.ForOther)
	var rows [][]string
	for _, unit := range units {
		var row []string
		for _, answer := range unit {
			row = append(row, answer)
		}
		slices.Sort(row)
		rows = append(rows, row)
	}
	slices.SortFunc(rows, slices.Compare)
	if a, ok := trial.Krippendorff(rows, level, k.seed); ok && out.People > 1 {
		out.Alpha = &a
	}
	return &out, nil
}

// Cell gives a cell, opened, or all replies of a trial where fill and set-up are -1.
func (s *Service) Cell(ctx context.Context, by work.Caller, id string, fillAt, setUp int) (api.TrialCellReplies, error) {
	return work.See(ctx, s.db, func(v work.View) (api.TrialCellReplies, error) {
		out := api.TrialCellReplies{Messages: []endpoint.ModelMessage{}, Used: []fill.Ref{}, Replies: []api.TrialReply{}}
		t, err := access.SeeTrial(v.Reader, by, id)
		if err != nil {
			return out, err
		}
		size := t.Plan.V.Size()
		if fillAt < 0 || fillAt >= size.Fills || setUp < 0 || setUp >= size.SetUps {
			return out, work.MissingF("the trial has no such cell: its fills are 0 to %d, its set-ups 0 to %d", size.Fills-1, size.SetUps-1)
		}
		sent, used, err := v.CellSent(id, fillAt, setUp)
		if err != nil {
			return out, err
		}
		out.Messages, out.Settings, out.Used = sent.Messages, sent.Settings, append(out.Used, used...)
		out.Replies, err = s.replies(v.Reader, by, t.Trial, fillAt, setUp)
		return out, err
	})
}

func (s *Service) replies(r store.Reader, by work.Caller, t store.Trial, fillAt, setUp int) ([]api.TrialReply, error) {
	k, err := marked(r, t)
	if err != nil {
		return nil, err
	}
	all, err := r.TrialReplies(t.ID, true, fillAt, setUp)
	out := []api.TrialReply{}
	for _, p := range all {
		one := api.TrialReply{
			ID: p.ID, Fill: p.Fill, SetUp: p.SetUp, Time: p.Time, State: p.State, Attempts: p.Attempts, Text: p.Text, Words: p.Words, Reason: p.Reason, Problem: p.Problem.Text,
			Tokens: endpoint.Tokens{In: p.TokensIn, Out: p.TokensOut}, Cost: p.Cost, WholeMS: p.WholeMS, Outcomes: []trial.Observation{}, Run: p.Run,
		}
		if p.Checked {
			one.Outcomes = k.outcomes(p)
		}
		for _, m := range k.marks[p.ID] {
			one.Marks = append(one.Marks, api.TrialMark{Expectation: m.Expectation, By: m.Name, Met: m.Met, Mine: m.Person == by.ID})
		}
		out = append(out, one)
	}
	return out, err
}

// Replies gives all replies of a trial, with their texts.
func (s *Service) Replies(ctx context.Context, by work.Caller, id string) (t api.Trial, all []api.TrialReply, err error) {
	_, err = work.See(ctx, s.db, func(v work.View) (struct{}, error) {
		if t, err = s.shown(v.Reader, by, id); err != nil {
			return struct{}{}, err
		}
		row, err := v.Trial(id)
		if err == nil {
			all, err = s.replies(v.Reader, by, row, -1, -1)
		}
		return struct{}{}, err
	})
	return t, all, err
}

// CSV writes replies as a table: a line for each, a column for each expectation.
func CSV(t api.Trial, all []api.TrialReply) []byte {
	head := []string{"fill", "set_up", "time", "state", "text", "words", "seconds", "tokens_in", "tokens_out", "cost"}
	for _, does := range t.Says {
		head = append(head, does.String())
	}
	var table [][]string
	for _, r := range all {
		cost := ""
		if r.Cost != nil {
			cost = fmt.Sprint(*r.Cost)
		}
		row := []string{
			t.Plan.Fills[r.Fill].Name, t.Plan.SetUps[r.SetUp].Title, fmt.Sprint(r.Time), r.State, r.Text, fmt.Sprint(r.Words), fmt.Sprint(float64(r.WholeMS) / 1000),
			fmt.Sprint(r.Tokens.In), fmt.Sprint(r.Tokens.Out), cost,
		}
		for i := range t.Says {
			state := ""
			if i < len(r.Outcomes) {
				state = string(r.Outcomes[i].State)
			}
			row = append(row, state)
		}
		table = append(table, row)
	}
	return bundle.Rows(head, table)
}

// Zip writes each reply that has come to a file of its own, called by its fill, its set-up where
// there are several, and its time where there are.
func Zip(t api.Trial, all []api.TrialReply) ([]byte, error) {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for i, r := range all {
		if r.State != store.ReplyDone {
			continue
		}
		name := t.Plan.Fills[r.Fill].Name
		if len(t.Plan.SetUps) > 1 {
			name += ", " + t.Plan.SetUps[r.SetUp].Title
		}
		if t.Plan.Times > 1 {
			name += fmt.Sprintf(", %d", r.Time)
		}
		w, err := z.Create(fmt.Sprintf("%04d %s.md", i+1, plainName(name)))
		if err != nil {
			return nil, err
		}
		if _, err := io.WriteString(w, r.Text); err != nil {
			return nil, err
		}
	}
	err := z.Close() // writes the directory
	return out.Bytes(), err
}

// plainName leaves out of a name what no file may be called.
func plainName(name string) string {
	name = strings.Map(func(r rune) rune {
		if r < ' ' || strings.ContainsRune("/\\:*?\"<>|", r) {
			return ' '
		}
		return r
	}, name)
	if r := []rune(strings.TrimSpace(name)); len(r) > 100 {
		name = string(r[:100])
	}
	return strings.TrimSpace(name)
}
