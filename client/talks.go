package client

import (
	"context"
	"net/http"
	"net/url"

	"goldshelf/api"
)

// Connections gives where models answer, to curators.
func (c *Client) Connections(ctx context.Context) (api.Connections, error) {
	return read[api.Connections](ctx, c, get("/connections"))
}

func connectionPath(name string) string { return "/connections/" + url.PathEscape(name) }

// Connection gives one of them.
func (c *Client) Connection(ctx context.Context, name string) (api.Connection, error) {
	return read[api.Connection](ctx, c, get(connectionPath(name)))
}

// AddConnection adds one.
func (c *Client) AddConnection(ctx context.Context, in api.NewConnection) (api.Connection, error) {
	return read[api.Connection](ctx, c, post("/connections", in))
}

// SetConnection changes the connection of a number. A status of 412 means that it is another
// by now.
func (c *Client) SetConnection(ctx context.Context, name string, on int, in api.NewConnection) (api.Connection, error) {
	return read[api.Connection](ctx, c, putOn("connection", on, connectionPath(name), in))
}

// DeleteConnection deletes one from which no reply is awaited.
func (c *Client) DeleteConnection(ctx context.Context, name string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: connectionPath(name)}, nil)
	return err
}

// TryConnection asks a model of one, and shows what was sent and what came back.
func (c *Client) TryConnection(ctx context.Context, name string, in api.ConnectionTrial) (api.ConnectionTried, error) {
	return read[api.ConnectionTried](ctx, c, post(connectionPath(name)+"/test", in))
}

// AskableModels gives the models that can be asked.
func (c *Client) AskableModels(ctx context.Context) (api.AskableModels, error) {
	return read[api.AskableModels](ctx, c, get("/models"))
}

// Try fills an entry in and asks models: a talk begins, whose replies come by and by.
func (c *Client) Try(ctx context.Context, in api.TryRequest) (api.Talk, error) {
	return read[api.Talk](ctx, c, post("/tries", in))
}

func replyPath(id, rest string) string { return "/tries/" + url.PathEscape(id) + rest }

// Reply gives a reply as far as it has come.
func (c *Client) Reply(ctx context.Context, id string) (api.TalkReply, error) {
	return read[api.TalkReply](ctx, c, get(replyPath(id, "")))
}

// StopReply has a reply be awaited no longer.
func (c *Client) StopReply(ctx context.Context, id string) (api.TalkReply, error) {
	return read[api.TalkReply](ctx, c, post(replyPath(id, "/stop"), nil))
}

// Talks gives the caller's talks, the last asked first, of those that have words.
func (c *Client) Talks(ctx context.Context, words string) (api.Talks, error) {
	r := get("/talks")
	r.query = url.Values{}
	if words != "" {
		r.query.Set("q", words)
	}
	return read[api.Talks](ctx, c, r)
}

func talkPath(id, rest string) string { return "/talks/" + url.PathEscape(id) + rest }

// Talk gives one of the caller's talks.
func (c *Client) Talk(ctx context.Context, id string) (api.Talk, error) {
	return read[api.Talk](ctx, c, get(talkPath(id, "")))
}

// FollowUp goes on with a talk after one of its replies.
func (c *Client) FollowUp(ctx context.Context, id string, in api.FollowUp) (api.Talk, error) {
	return read[api.Talk](ctx, c, post(talkPath(id, "/messages"), in))
}

// DeleteTalk deletes one of the caller's talks for good.
func (c *Client) DeleteTalk(ctx context.Context, id string) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: talkPath(id, "")}, nil)
	return err
}

// WatchReply gives a reply piece by piece as it comes, and at last as it ended. A stream that
// is cut is read on where it was cut; a reply that is asked for anew begins again at 0.
func (c *Client) WatchReply(ctx context.Context, id string, piece func(api.ReplyPiece)) (api.TalkReply, error) {
	return watch[api.ReplyPiece, api.TalkReply](ctx, c, replyPath(id, "/events"), piece)
}

// KeepTalk keeps a talk beyond the time after which talks are forgotten, or not.
func (c *Client) KeepTalk(ctx context.Context, id string, kept bool) (api.Talk, error) {
	return read[api.Talk](ctx, c, request{method: http.MethodPut, path: "/talks/" + url.PathEscape(id) + "/kept", in: api.TalkKept{Kept: kept}})
}

// ShareTalk lets a colleague read a talk, or no longer.
func (c *Client) ShareTalk(ctx context.Context, id string, in api.TalkSharing) (api.Talk, error) {
	return read[api.Talk](ctx, c, request{method: http.MethodPut, path: "/talks/" + url.PathEscape(id) + "/readers", in: in})
}

// ReplyAsEntry gives what a new entry would be that asks what a reply was asked, its values made
// blanks again.
func (c *Client) ReplyAsEntry(ctx context.Context, id string) (api.NewEntry, error) {
	return read[api.NewEntry](ctx, c, get(replyPath(id, "/entry")))
}

// DocumentText gives what a document says: text, Markdown, CSV, a .docx or a .pdf.
func (c *Client) DocumentText(ctx context.Context, data []byte) (api.DocumentText, error) {
	return read[api.DocumentText](ctx, c, request{method: http.MethodPost, path: "/documents/text", raw: data, kind: "application/octet-stream"})
}

// Propose has a model say how a draft could read, by a prompt that helps with that.
func (c *Client) Propose(ctx context.Context, slug string, in api.NewProposal) (api.Talk, error) {
	return read[api.Talk](ctx, c, post(entryPath(slug, "/proposals"), in))
}

// TakeProposal says that a proposal, or a part of it, was put into the draft that it is for.
func (c *Client) TakeProposal(ctx context.Context, reply string) error {
	_, err := c.call(ctx, post(replyPath(reply, "/taken"), nil), nil)
	return err
}
