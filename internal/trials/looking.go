package trials

import (
	"context"
	"errors"
	"maps"
	"slices"
	"strings"

	"github.com/google/uuid"

	"goldshelf/api"
	"goldshelf/core/check"
	"goldshelf/core/entry"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/core/trial"
	"goldshelf/core/voice"
	"goldshelf/internal/access"
	"goldshelf/internal/asking"
	"goldshelf/internal/store"
	"goldshelf/internal/texts"
	"goldshelf/internal/work"
)

// What is looked at in one unit.
const (
	lookedAt     = 100
	trialsAtOnce = 20
)

// job is under what name trials are set aside that cannot be looked at.
const job = "replies of trials"

// Look looks whether some replies hold to what is expected of them, has prompts that judge be
// asked, and takes into account what these have said. It gives how much of that it did. A trial
// where that fails is set aside, and the others go on.
func (s *Service) Look(ctx context.Context) (n int, err error) {
	var judged []string
	unchecked, err := work.See(ctx, s.db, func(v work.View) (ids []string, err error) {
		if err := v.LookAtAll(); err != nil {
			return nil, err
		}
		if judged, err = v.JudgedTrials(trialsAtOnce); err != nil {
			return nil, err
		}
		return v.UncheckedTrials(trialsAtOnce)
	})
	if err != nil {
		return 0, err
	}
	count := func(do func(*work.Unit) (int, error)) error {
		some, err := work.Do(ctx, s.db, work.Service(), do)
		n += some
		return err
	}
	itself := func(id string) string { return id }
	err = work.EachOf(ctx, s.db, job, unchecked, itself, func(ctx context.Context, some []string) error {
		if len(some) == 0 {
			return nil
		}
		l, err := s.begin(ctx, some)
		if err != nil {
			return err
		}
		return count(l.look)
	})
	if err != nil {
		return n, err
	}
	err = work.EachOf(ctx, s.db, job, judged, itself, func(_ context.Context, some []string) error {
		if len(some) == 0 {
			return nil
		}
		return count(func(u *work.Unit) (int, error) { return s.takeJudged(u, some) })
	})
	return n, err
}

func (s *Service) takeJudged(u *work.Unit, trials []string) (int, error) {
	if err := u.LookAtAll(); err != nil {
		return 0, err
	}
	all, err := u.Judged(trials, lookedAt)
	if err != nil {
		return 0, err
	}
	var of []string
	for _, j := range all {
		if err := u.TakeJudged(j, said(j)); err != nil {
			return 0, err
		}
		if !slices.Contains(of, j.Trial) {
			of = append(of, j.Trial)
		}
	}
	return len(all), s.settle(u, of)
}

func trialsOf(replies []store.Unchecked) (ids []string) {
	for _, r := range replies {
		if !slices.Contains(ids, r.Trial) {
			ids = append(ids, r.Trial)
		}
	}
	return ids
}

// said reads what a prompt has said: yes or no is its first word.
func said(j store.Judged) trial.Observation {
	if j.State != store.ReplyDone {
		return trial.Observation{State: trial.Unknown, Note: message.Say("it was not answered: %s", j.Problem.Text)}
	}
	first := strings.FieldsFunc(strings.ToLower(j.Text), func(r rune) bool { return r < 'a' || r > 'z' })
	text := j.Text
	if r := []rune(text); len(r) > 300 {
		text = string(r[:299]) + "…"
	}
	note := message.Say("%s", text)
	switch {
	case len(first) > 0 && first[0] == "yes":
		return trial.Observation{State: trial.Met, Note: note}
	case len(first) > 0 && first[0] == "no":
		return trial.Observation{State: trial.Missed, Note: note}
	}
	return trial.Observation{State: trial.Unknown, Note: message.Say("it said neither yes nor no: %s", text)}
}

// looking is what is needed to look at some replies.
type looking struct {
	s       *Service
	plans   map[string]trial.Design // by trial
	judges  map[string]*trial.Judge // the same; none where why says so
	why     map[string]message.Text // a trial cannot be judged
	entries map[string]store.Entry  // that they are of
	prompts map[string]prompt       // by slug
	styles  map[string]style        // the same
}

type style struct {
	profile    *voice.Profile
	background *voice.Background
}

type prompt struct {
	asked texts.Asked
	blank string       // that the reply is given to
	why   message.Text // it cannot be asked
}

// begin reads what replies of trials need that wait to be looked at.
func (s *Service) begin(ctx context.Context, trials []string) (looking, error) {
	l := looking{s: s, plans: map[string]trial.Design{}, judges: map[string]*trial.Judge{}, why: map[string]message.Text{}, entries: map[string]store.Entry{}, prompts: map[string]prompt{}, styles: map[string]style{}}
	_, err := work.See(ctx, s.db, func(v work.View) (struct{}, error) { return struct{}{}, l.read(v, trials) })
	if err != nil {
		return l, err
	}
	for _, p := range l.plans {
		for _, e := range p.Expectations {
			if _, known := l.prompts[e.Text]; e.Kind == trial.ByPrompt && !known {
				if l.prompts[e.Text], err = s.prompt(ctx, e.Text); err != nil {
					return l, err
				}
			}
		}
	}
	return l, nil
}

func (l *looking) read(v work.View, trials []string) error {
	if err := v.LookAtAll(); err != nil {
		return err
	}
	all, err := v.PlansOf(trials)
	if err != nil {
		return err
	}
	policy, err := texts.Policy(v.Reader)
	if err != nil {
		return err
	}
	for _, t := range all {
		l.plans[t.ID] = t.Plan.V
		if l.entries[t.ID], err = v.EntryBySlug(t.Slug); err != nil {
			return err
		}
		// One trial that cannot be judged is set aside; the others go on.
		if l.judges[t.ID], err = trial.NewJudge(t.Plan.V.Expectations, policy.Avoid); err != nil {
			l.why[t.ID] = message.Say("it cannot be judged: %s", message.Of(err))
		}
		for _, e := range t.Plan.V.Expectations {
			if _, known := l.styles[e.Text]; e.Kind == trial.Style && !known {
				if err := l.readStyle(v, e.Text); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

func (l *looking) readStyle(v work.View, slug string) error {
	all, err := v.ShelvedIDs([]fill.Ref{{Entry: slug}})
	if err != nil || len(all) == 0 || entry.Kind(all[0].Kind) != entry.Style {
		return err
	}
	e, err := v.EntryBySlug(slug)
	if err != nil {
		return err
	}
	var of style
	of.profile, of.background, _, err = l.s.styles.Of(v, e.ID)
	l.styles[slug] = of
	return err
}

// prompt reads a prompt that judges: the reply goes into its blank called reply, or into the
// only one that must be filled in.
func (s *Service) prompt(ctx context.Context, slug string) (p prompt, err error) {
	p.asked, err = s.texts.Ask(ctx, work.Service(), texts.Question{Slug: slug})
	if err != nil {
		p.why = message.Say("the prompt that judges cannot be asked: %v", err)
		return p, ctx.Err()
	}
	var wanted []string
	for _, b := range p.asked.Form.Blanks() {
		if b.Name == "reply" {
			p.blank = b.Name
		} else if !b.Optional && b.Default.IsZero() {
			wanted = append(wanted, b.Name)
		}
	}
	switch {
	case p.blank == "" && len(wanted) == 1:
		p.blank = wanted[0]
	case p.blank == "" || len(wanted) > 0:
		p.why = message.Say("the prompt that judges has no blank for the reply alone; call it reply, and give the others defaults")
	}
	return p, nil
}

// look is one unit of it.
func (l looking) look(u *work.Unit) (int, error) {
	if err := u.LookAtAll(); err != nil {
		return 0, err
	}
	replies, err := u.Unchecked(slices.Collect(maps.Keys(l.plans)), lookedAt)
	if err != nil || len(replies) == 0 {
		return 0, err
	}
	// What is found of a text needs no database: it is worked out side by side.
	if err := u.KeepOutcomes(work.AtOnce(replies, l.outcomes)); err != nil {
		return 0, err
	}
	places, err := asking.PlacesOf(u.Reader)
	if err != nil {
		return 0, err
	}
	for _, r := range replies {
		if err := l.askPrompts(u, places, r); err != nil {
			return 0, err
		}
	}
	return len(replies), l.s.settle(u, trialsOf(replies))
}

// outcomes is called for several replies at the same time.
func (l looking) outcomes(r store.Unchecked) store.Outcomes {
	var sent strings.Builder
	for _, m := range r.Sent.V.Messages {
		sent.WriteString(m.Text)
		sent.WriteByte('\n')
	}
	return store.Outcomes{ID: r.ID, Words: check.Words(r.Text), Outcomes: l.judged(r, sent.String())}
}

// judged holds a reply to what is expected of it. Where that cannot be done, each outcome is
// unknown, with the reason: one reply never stops the others.
func (l looking) judged(r store.Unchecked, sent string) (all []trial.Observation) {
	aside := func(why message.Text) []trial.Observation {
		all := make([]trial.Observation, len(l.plans[r.Trial].Expectations))
		for i := range all {
			all[i] = trial.Observation{State: trial.Unknown, Note: why}
		}
		return all
	}
	if why, is := l.why[r.Trial]; is {
		return aside(why)
	}
	defer func() {
		if recover() != nil {
			all = aside(message.Say("it cannot be judged: the check itself failed on this reply"))
		}
	}()
	return l.judges[r.Trial].Outcomes(r.Text, trial.Given{Sent: sent, Language: r.Language, Styles: l.fit})
}

func (l looking) fit(slug, text string) (voice.Fit, bool) {
	of, there := l.styles[slug]
	if !there {
		return voice.Fit{}, false
	}
	read := voice.Read(text, "")
	return of.profile.Fit(read, voice.NewProfile([]voice.Sample{{Text: read, Weight: 1}}, false), of.background), true
}

// askPrompts has the prompts be asked that say yes or no of a reply.
func (l looking) askPrompts(u *work.Unit, places *asking.Places, r store.Unchecked) error {
	for i, e := range l.plans[r.Trial].Expectations {
		if e.Kind != trial.ByPrompt {
			continue
		}
		why, err := l.askPrompt(u, places, r, i, e)
		if err != nil {
			return err
		}
		if why.IsZero() {
			continue
		}
		if err := u.KeepOutcome(r.ID, i, trial.Observation{State: trial.Unknown, Note: why}); err != nil {
			return err
		}
	}
	return nil
}

// askPrompt has one be asked, or says why it cannot be.
func (l looking) askPrompt(u *work.Unit, places *asking.Places, r store.Unchecked, i int, e trial.Expectation) (why message.Text, err error) {
	p, plan := l.prompts[e.Text], l.plans[r.Trial]
	if !p.why.IsZero() {
		return p.why, nil
	}
	model := e.Model
	if model == "" {
		model = plan.SetUps[r.SetUp].Model
	}
	messages, used, err := p.asked.Sent(fill.Values{p.blank: fill.Single(r.Text)})
	if list, ok := err.(problem.List); ok {
		return message.Say("the prompt that judges cannot be filled in: %v", list), nil
	}
	if err != nil {
		return message.Text{}, err
	}
	at, err := places.Serving(asking.Sending{
		Model: model, Messages: messages, About: []store.Entry{p.asked.Entry, l.entries[r.Trial]}, Used: slices.Concat(used, r.Used.V),
	}, "")
	if list, ok := err.(problem.List); ok {
		return message.Say("the prompt that judges cannot be asked: %v", list), nil
	}
	if err != nil {
		return message.Text{}, err
	}
	sent := store.Sent{Messages: messages}
	sent.Settings.Seed = &plan.Seed
	l.s.asking.Wake(u)
	return message.Text{}, u.AddJudged(newID(), r.Trial, p.asked.Of.Entry, at.ID, model, sent, used, r.ID, i)
}

// settle keeps what trials have come to that have ended: how well texts have done in them,
// and what has changed.
func (s *Service) settle(u *work.Unit, ids []string) error {
	slices.Sort(ids)
	for _, id := range ids {
		if err := s.settleOne(u, id); err != nil {
			return err
		}
	}
	return nil
}

func (s *Service) settleOne(u *work.Unit, id string) error {
	if err := u.LockTrial(id); errors.Is(err, store.ErrNotFound) {
		return nil // it was deleted in that moment
	} else if err != nil {
		return err
	}
	// What is not known again by now, as people are of two minds, is no pass any more.
	if err := u.DropPasses(id); err != nil {
		return err
	}
	if goesOn, err := u.TrialGoesOn(id); err != nil || goesOn {
		return err
	}
	t, err := u.Trial(id)
	if err != nil {
		return err
	}
	k, err := read(u.Reader, t)
	if err != nil {
		return err
	}
	figures := k.figures()
	change, err := changeOf(u.Reader, t, k, figures)
	if err != nil {
		return err
	}
	if change == trial.Worse && t.Change != string(trial.Worse) {
		u.Record("got-worse", t.EntryID, 0, map[string]any{"trial": id, "title": t.Title})
	}
	if err := u.SettleTrial(id, string(change)); err != nil {
		return err
	}
	if t.Failed > 0 || t.Stopped > 0 || t.Plan.V.OfBed == 0 || len(t.Plan.V.Expectations) == 0 {
		return nil
	}
	for _, r := range figures.Rates {
		set := t.Plan.V.SetUps[r.SetUp]
		if r.Expectation != trial.Every || set.Text == "" || set.With != "" || r.Of < t.Plan.V.Times*len(t.Plan.V.Fills) {
			continue
		}
		if err := u.SetPass(id, r.SetUp, t.EntryID, set.Text, r.Interval.Low, t.Plan.V.OfBed); err != nil {
			return err
		}
	}
	return nil
}

// Mark keeps what somebody says of a reply: whether it holds to an expectation that people
// judge, or that a prompt judges and people check.
func (s *Service) Mark(ctx context.Context, by work.Caller, id, reply string, expectation int, in api.NewMark) (api.Trial, error) {
	return work.Do(ctx, s.db, by, func(u *work.Unit) (api.Trial, error) {
		t, err := access.SeeTrial(u.Reader, by, id)
		if err == nil {
			err = mayTry(by)
		}
		if err != nil {
			return api.Trial{}, err
		}
		expected := t.Plan.V.Expectations
		if expectation < 0 || expectation >= len(expected) || expected[expectation].Kind != trial.ByPerson && expected[expectation].Kind != trial.ByPrompt {
			return api.Trial{}, work.Wrong("/expectation", "mark", "people mark only what a person or a prompt judges")
		}
		if err := u.LockTrial(id); err != nil {
			return api.Trial{}, err
		}
		all, err := u.TrialReplies(id, false, -1, -1)
		if err != nil {
			return api.Trial{}, err
		}
		i := slices.IndexFunc(all, func(r store.TrialReply) bool { return r.ID == reply })
		if i < 0 || all[i].State != store.ReplyDone {
			return api.Trial{}, work.MissingF("the trial has no such reply that is whole")
		}
		if err := u.SetMark(reply, expectation, by.ID, in.Met); err != nil {
			return api.Trial{}, err
		}
		u.Record("mark-reply", t.EntryID, 0, map[string]any{"trial": id, "reply": reply, "expectation": expectation + 1, "met": in.Met})
		if err := s.settle(u, []string{id}); err != nil {
			return api.Trial{}, err
		}
		return s.shown(u.Reader, by, id)
	})
}

// pair is two replies to the same fill, of the first and the second set-up.
type pair struct{ first, second store.TrialReply }

// pairs gives all that can be compared blind, in an order of the trial's own.
func pairs(all []store.TrialReply, seed uint64) (out []pair) {
	of := map[[2]int]store.TrialReply{}
	for _, r := range all {
		if r.State == store.ReplyDone && r.SetUp == 1 {
			of[[2]int{r.Fill, r.Time}] = r
		}
	}
	for _, r := range all {
		if other, there := of[[2]int{r.Fill, r.Time}]; there && r.State == store.ReplyDone && r.SetUp == 0 {
			p := pair{r, other}
			if seed>>(uint(len(out))%64)&1 == 1 { // which stands first says nothing
				p = pair{other, r}
			}
			out = append(out, p)
		}
	}
	return out
}

// Pair gives two replies that the caller has not compared, without whose they are, or a
// [work.Missing] where there are none left.
func (s *Service) Pair(ctx context.Context, by work.Caller, id string) (api.TrialPair, error) {
	return work.See(ctx, s.db, func(v work.View) (api.TrialPair, error) {
		t, err := access.SeeTrial(v.Reader, by, id)
		if err == nil {
			err = mayTry(by)
		}
		if err != nil {
			return api.TrialPair{}, err
		}
		if len(t.Plan.V.SetUps) < 2 {
			return api.TrialPair{}, work.MissingF("the trial has one set-up; there is nothing to compare it with")
		}
		all, err := v.TrialReplies(id, false, -1, -1)
		if err != nil {
			return api.TrialPair{}, err
		}
		said, err := v.Preferences(id)
		if err != nil {
			return api.TrialPair{}, err
		}
		var left []pair
		for _, p := range pairs(all, seedOf(id)) {
			if !slices.ContainsFunc(said, func(o store.Preference) bool {
				return o.Person == by.ID && o.First == p.first.ID && o.Second == p.second.ID
			}) {
				left = append(left, p)
			}
		}
		if len(left) == 0 {
			return api.TrialPair{}, work.MissingF("you have compared all that has come so far")
		}
		p := left[0]
		out := api.TrialPair{Fill: t.Plan.V.Fills[p.first.Fill].Name, Left: len(left)}
		for id, into := range map[string]*api.BlindReply{p.first.ID: &out.First, p.second.ID: &out.Second} {
			r, err := v.Reply(id)
			if err != nil {
				return api.TrialPair{}, err
			}
			*into = api.BlindReply{ID: id, Text: r.Text}
		}
		return out, nil
	})
}

// Prefer keeps which of two replies the caller finds better.
func (s *Service) Prefer(ctx context.Context, by work.Caller, id string, in api.NewPreference) error {
	if !slices.Contains([]string{"first", "second", "neither"}, in.Better) {
		return work.Wrong("/better", "better", "%.40q is no preference; it is first, second or neither", in.Better)
	}
	if uuid.Validate(in.First) != nil || uuid.Validate(in.Second) != nil {
		return work.Wrong("/first", "required", "say which two replies: those of GET /trials/{id}/pair")
	}
	return work.Run(ctx, s.db, by, func(u *work.Unit) error {
		t, err := access.SeeTrial(u.Reader, by, id)
		if err == nil {
			err = mayTry(by)
		}
		if err != nil {
			return err
		}
		all, err := u.TrialReplies(id, false, -1, -1)
		if err != nil {
			return err
		}
		if len(t.Plan.V.SetUps) < 2 || !slices.ContainsFunc(pairs(all, seedOf(id)), func(p pair) bool { return p.first.ID == in.First && p.second.ID == in.Second }) {
			return work.Wrong("/first", "pair", "these two are no pair of the trial")
		}
		return u.SetPreference(id, store.Preference{First: in.First, Second: in.Second, Person: by.ID, Better: in.Better})
	})
}
