package api

import (
	"time"

	"goldshelf/core/endpoint"
	"goldshelf/core/fill"
	"goldshelf/core/message"
	"goldshelf/core/trial"
)

// TestBed is an entry's fills, and what replies to them must hold to.
type TestBed struct {
	trial.Bed
	Says      []message.Text `json:"says"`       // what a reply does that holds to each expectation
	Number    int            `json:"number"`     // 0 where there is none yet
	MayChange bool           `json:"may_change"` // whoever reads it may
	By        string         `json:"by,omitempty"`
	At        *time.Time     `json:"at,omitempty"`
}

// NewTrial is what a trial is to ask for. Without fills and expectations these are of the
// entry's test bed. One that runs an earlier trial again asks for what that did, and says
// nothing else but a title.
type NewTrial struct {
	Title        string              `json:"title,omitempty"`
	Again        string              `json:"again,omitempty"` // an earlier trial of the entry
	Fills        []trial.TestFill    `json:"fills,omitempty"`
	Expectations []trial.Expectation `json:"expectations,omitempty"`
	SetUps       []trial.SetUp       `json:"set_ups"`
	Times        int                 `json:"times,omitempty"`   // 1 where it is left out
	Matters      float64             `json:"matters,omitempty"` // the smallest difference that matters; 0.2 where it is left out
	Seed         int64               `json:"seed,omitempty"`
	Private      bool                `json:"private,omitempty"` // seen by whoever begins it alone, for 30 days; without expectations if none come with it
}

// TrialEstimate is what a trial will take.
type TrialEstimate struct {
	Replies   int      `json:"replies"`
	Judged    int      `json:"judged"` // calls of prompts that say yes or no, besides
	TokensIn  int      `json:"tokens_in"`
	TokensOut int      `json:"tokens_out"` // as long as replies have been so far, or may be
	Cost      *float64 `json:"cost,omitempty"`
	Currency  string   `json:"currency"`
}

// TrialItem is a trial in a list.
type TrialItem struct {
	ID       string    `json:"id"`
	Slug     string    `json:"slug"`
	Title    string    `json:"title"`
	SetUps   []string  `json:"set_ups"`
	Versions []int     `json:"versions"` // of the entry, that these are of
	Fills    int       `json:"fills"`
	Replies  int       `json:"replies"`
	Awaited  int       `json:"awaited"`
	Done     int       `json:"done"`
	Failed   int       `json:"failed"`
	Stopped  int       `json:"stopped"`
	State    string    `json:"state"` // running, stopped or ended
	Private  bool      `json:"private,omitempty"`
	By       string    `json:"by,omitempty"`
	At       time.Time `json:"at"`

	Again  string      `json:"again,omitempty"`  // the trial that it runs again
	About  *fill.Ref   `json:"about,omitempty"`  // another entry's version, of which it shows what that would change
	Change trial.Trend `json:"change,omitempty"` // since the one that it runs again, or by that version; none while it is not known
}

// Trials are those of an entry, the last begun first.
type Trials struct {
	Items []TrialItem `json:"items"`
	Again *TrialOffer `json:"again,omitempty"` // of one entry
}

// TrialOffer is a trial against an entry's test bed that ought to be run again.
type TrialOffer struct {
	Trial   string         `json:"trial"`
	Because []message.Text `json:"because"` // what has changed since, in words
}

// TrialChange is what became of a set-up since an earlier trial.
type TrialChange struct {
	SetUp   int           `json:"set_up"`
	Before  float64       `json:"before"` // rates of replies that meet every expectation
	Now     float64       `json:"now"`
	Verdict trial.Verdict `json:"verdict"`
	Text    message.Text  `json:"text"`
}

// NewUserTrials asks for a trial of each entry that uses another: as it is, and with a version
// of that other in place of the one on the shelf.
type NewUserTrials struct {
	Version string  `json:"version,omitempty"` // a number; open where it is left out
	Model   string  `json:"model"`
	Times   int     `json:"times,omitempty"`   // 1 where it is left out
	Matters float64 `json:"matters,omitempty"` // as in a trial
}

// UserTrials are the entries that use another, and how they do with a version of that.
type UserTrials struct {
	Of    fill.Ref    `json:"of"` // the version; 0 where none is open
	Items []UserTrial `json:"items"`
}

// UserTrial is an entry that uses another, with its newest trial of what the other's version
// would change.
type UserTrial struct {
	Slug  string       `json:"slug"`
	Title string       `json:"title"`
	Fills int          `json:"fills"`        // of its test bed
	Why   message.Text `json:"why,omitzero"` // it cannot be tried
	Trial *TrialItem   `json:"trial,omitempty"`
}

// UserTrialsEstimate is what trials of all users will take.
type UserTrialsEstimate struct {
	TrialEstimate
	Trials int `json:"trials"`
}

// Trial is a trial as far as it has come.
type Trial struct {
	TrialItem
	Plan       trial.Design     `json:"plan"`
	Says       []message.Text   `json:"says"`  // what a reply does that holds to each expectation
	Cells      []TrialCell      `json:"cells"` // by fill and set-up
	Figures    trial.Figures    `json:"figures"`
	Sentences  []TrialSentence  `json:"sentences"`         // what the contrasts amount to
	Changes    []TrialChange    `json:"changes,omitempty"` // since the trial that it runs again, by set-up
	Judges     []TrialJudge     `json:"judges,omitempty"`
	Preference *TrialPreference `json:"preference,omitempty"`
	Unchecked  int              `json:"unchecked"` // replies that are still looked at
	Cost       *float64         `json:"cost,omitempty"`
	Currency   string           `json:"currency"`
	MayChange  bool             `json:"may_change"` // whoever reads it may stop, go on with and delete it
}

// TrialCell is one fill under one set-up.
type TrialCell struct {
	Fill    int   `json:"fill"` // from 0
	SetUp   int   `json:"set_up"`
	Replies int   `json:"replies"`
	Awaited int   `json:"awaited"`
	Failed  int   `json:"failed"`
	Stopped int   `json:"stopped"`
	Known   int   `json:"known"` // replies of which all is known
	Met     int   `json:"met"`   // of those, that meet every expectation
	ByEach  []int `json:"by_each"`
}

// TrialSentence says what a contrast amounts to.
type TrialSentence struct {
	Expectation int           `json:"expectation"` // -1 for all together
	Verdict     trial.Verdict `json:"verdict"`
	Text        message.Text  `json:"text"`
}

// TrialJudge is how a prompt that judges agrees with people who marked the same replies.
type TrialJudge struct {
	Expectation int              `json:"expectation"`
	Prompt      string           `json:"prompt"`
	Marked      int              `json:"marked"` // replies that people marked too
	Kappa       *trial.Agreement `json:"kappa,omitempty"`
}

// TrialPreference is which of two set-ups people found better, blind.
type TrialPreference struct {
	First    string           `json:"first"` // set-ups
	Second   string           `json:"second"`
	ForFirst int              `json:"for_first"`
	ForOther int              `json:"for_second"`
	Neither  int              `json:"neither"`
	People   int              `json:"people"`
	Share    float64          `json:"share"` // of those who preferred one, for the first
	Interval trial.Interval   `json:"interval"`
	P        float64          `json:"p"`
	Alpha    *trial.Agreement `json:"alpha,omitempty"` // agreement among several people
}

// TrialCellReplies is a cell, opened: exactly what was sent, and what came of it.
type TrialCellReplies struct {
	Messages []endpoint.ModelMessage `json:"messages"`
	Settings endpoint.Settings       `json:"settings"`
	Used     []fill.Ref              `json:"used"`
	Replies  []TrialReply            `json:"replies"`
}

// TrialReply is a reply of a trial.
type TrialReply struct {
	ID       string              `json:"id"`
	Fill     int                 `json:"fill"`
	SetUp    int                 `json:"set_up"`
	Time     int                 `json:"time"` // from 1
	State    string              `json:"state"`
	Attempts int                 `json:"attempts"`
	Text     string              `json:"text"`
	Words    int                 `json:"words"`
	Reason   string              `json:"reason,omitempty"`
	Problem  message.Text        `json:"problem,omitzero"`
	Tokens   endpoint.Tokens     `json:"tokens"`
	Cost     *float64            `json:"cost,omitempty"`
	WholeMS  int                 `json:"whole_ms"`
	Outcomes []trial.Observation `json:"outcomes"` // of each expectation; none while nobody has looked
	Marks    []TrialMark         `json:"marks,omitempty"`
	Run      string              `json:"run,omitempty"` // of a relay, that has brought it
}

// TrialMark is what somebody says of a reply and an expectation.
type TrialMark struct {
	Expectation int    `json:"expectation"`
	By          string `json:"by"` // a full name
	Met         bool   `json:"met"`
	Mine        bool   `json:"mine,omitempty"`
}

// NewMark says whether a reply holds to an expectation.
type NewMark struct {
	Met bool `json:"met"`
}

// TrialPair is two replies to the same fill, without whose they are.
type TrialPair struct {
	First  BlindReply `json:"first"`
	Second BlindReply `json:"second"`
	Fill   string     `json:"fill"`
	Left   int        `json:"left"` // pairs that the caller has not judged, this one too
}

// BlindReply is a reply without its set-up.
type BlindReply struct {
	ID   string `json:"id"`
	Text string `json:"text"`
}

// NewPreference says which of two replies is better.
type NewPreference struct {
	First  string `json:"first"`
	Second string `json:"second"`
	Better string `json:"better"` // first, second or neither
}

// ResumeTrial says what is asked again.
type ResumeTrial struct {
	Failed bool `json:"failed,omitempty"` // what failed; else what was stopped
}

// FillsFile is a table of fills: a column for each blank, and one called name if there is one.
type FillsFile struct {
	CSV string `json:"csv"`
}

// TestFills are fills that were read.
type TestFills struct {
	Fills []trial.TestFill `json:"fills"`
}
