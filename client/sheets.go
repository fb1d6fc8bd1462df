package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
)

// QuestionSets gives the newest version of every question set.
func (c *Client) QuestionSets(ctx context.Context) (api.QuestionSets, error) {
	return read[api.QuestionSets](ctx, c, get("/sets"))
}

// QuestionSet gives a version of a question set, named as audience@2, or the newest.
func (c *Client) QuestionSet(ctx context.Context, ref string) (api.QuestionSet, error) {
	return read[api.QuestionSet](ctx, c, get(setPath(ref, "")))
}

// QuestionSetVersions gives the versions of a question set, newest first.
func (c *Client) QuestionSetVersions(ctx context.Context, name string) (api.QuestionSets, error) {
	return read[api.QuestionSets](ctx, c, get(setPath(name, "/versions")))
}

// QuestionSetSchema gives the JSON Schema of the answers to a question set.
func (c *Client) QuestionSetSchema(ctx context.Context, ref string) (schema []byte, err error) {
	_, err = c.call(ctx, get(setPath(ref, "/schema")), &schema)
	return schema, err
}

// AddQuestionSet adds a question set.
func (c *Client) AddQuestionSet(ctx context.Context, in api.NewQuestionSet) (api.QuestionSet, error) {
	return read[api.QuestionSet](ctx, c, post("/sets", in))
}

// SaveQuestionSet adds the next version to the question set that was read as version on. A
// status of 412 means that there is a newer one by now.
func (c *Client) SaveQuestionSet(ctx context.Context, name string, on int, in api.NewQuestionSet) (api.QuestionSet, error) {
	return read[api.QuestionSet](ctx, c, putOn("set", on, setPath(name, ""), in))
}

// SheetsOfSet gives the sheets that answer a question set and have some words in title,
// summary or slug.
func (c *Client) SheetsOfSet(ctx context.Context, name, words string) (api.SheetsOfSet, error) {
	return read[api.SheetsOfSet](ctx, c, request{method: http.MethodGet, path: setPath(name, "/sheets"), query: url.Values{"q": {words}}})
}

// ReadAnswers takes answers to a question set from a text of questions and answers, a CSV
// of two columns or JSON. Nothing is saved.
func (c *Client) ReadAnswers(ctx context.Context, ref string, data []byte) (api.AnswersRead, error) {
	return read[api.AnswersRead](ctx, c, request{method: http.MethodPost, path: setPath(ref, "/read"), raw: data, kind: "application/octet-stream"})
}

func setPath(ref, rest string) string { return "/sets/" + url.PathEscape(ref) + rest }
