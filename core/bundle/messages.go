package bundle

import (
	"bytes"
	"encoding/json"
	"fmt"
	"path"
	"regexp"
	"strings"

	"goldshelf/core/entry"
	"goldshelf/core/message"
	"goldshelf/core/strict"
)

// said is one message of a chat. Its content is a text, or a list of parts of
// which those with a text count. Whatever else it has is left alone.
type said struct {
	Role    string
	Content string
}

// readMessages makes entries of a chat, or of a list of chats: what the system
// was told becomes a persona where it speaks of one, and else the prompt's
// background; the last message of the user is the prompt; what was said before
// it are its examples.
func readMessages(name string, data []byte) ([]Incoming, error) {
	text, err := decodeText(data)
	if err != nil {
		return nil, err
	}
	var raw any
	if err := strict.JSON(text, &raw); err != nil {
		return nil, fromJSON(err)
	}
	base := strings.TrimSuffix(path.Base(name), path.Ext(name))
	chats, err := chatsOf(raw, "")
	if err != nil {
		return nil, err
	}
	var all []Incoming
	for i, chat := range chats {
		where, slug := name, entry.SlugFor(base)
		if len(chats) > 1 {
			where = fmt.Sprintf("%s, chat %d", name, i+1)
			slug = entry.SlugFor(fmt.Sprintf("%s %d", base, i+1))
		}
		all = append(all, fromChat(where, slug, chat)...)
	}
	return all, nil
}

// chatsOf finds lists of messages: at the top, under "messages", or in a list of
// such things.
func chatsOf(raw any, at string) ([][]said, error) {
	switch v := raw.(type) {
	case map[string]any:
		if list, ok := v["messages"].([]any); ok {
			return chatsOf(list, at+"/messages")
		}
		return nil, one("messages", "there is no list of messages at %s; each message has a role and a content", orTop(at))
	case []any:
		if len(v) == 0 {
			return nil, nil
		}
		if first, ok := v[0].(map[string]any); ok && first["role"] != nil {
			chat, err := chatOf(v, at)
			return [][]said{chat}, err
		}
		var all [][]said
		for i, one := range v {
			chats, err := chatsOf(one, fmt.Sprintf("%s/%d", at, i))
			if err != nil {
				return nil, err
			}
			all = append(all, chats...)
		}
		return all, nil
	}
	return nil, one("messages", "found a single value at %s where a list of messages is wanted", orTop(at))
}

func orTop(at string) string {
	if at == "" {
		return "the top"
	}
	return at
}

func chatOf(list []any, at string) ([]said, error) {
	chat := make([]said, len(list))
	for i, v := range list {
		m, _ := v.(map[string]any)
		role, _ := m["role"].(string)
		if role == "" {
			return nil, one("role", "the message at %s/%d has no role; it is system, user or assistant", at, i)
		}
		content, err := contentOf(m["content"])
		if err != nil {
			return nil, one("content", "the message at %s/%d has no text as its content: %v", at, i, err)
		}
		chat[i] = said{role, content}
	}
	return chat, nil
}

func contentOf(v any) (string, error) {
	switch v := v.(type) {
	case nil:
		return "", nil
	case string:
		return v, nil
	case []any:
		var texts []string
		for _, part := range v {
			if m, ok := part.(map[string]any); ok {
				if text, ok := m["text"].(string); ok {
					texts = append(texts, text)
				}
			}
		}
		return strings.Join(texts, "\n\n"), nil
	}
	return "", message.Errorf("it is neither a text nor a list of parts")
}

func fromChat(where, slug string, chat []said) []Incoming {
	var system, before []string
	last := -1
	for i, m := range chat {
		if m.Role == "user" {
			last = i
		}
	}
	for i, m := range chat {
		text := strings.TrimSpace(m.Content)
		switch {
		case text == "", i == last:
		case m.Role == "system", m.Role == "developer":
			system = append(system, text)
		case i < last && m.Role == "user":
			before = append(before, "Asked:\n\n"+quoted(text))
		case i < last && m.Role == "assistant":
			before = append(before, "Answered:\n\n"+quoted(text))
		}
	}
	prompt := Incoming{Where: where, Slug: slug}
	prompt.Kind = entry.Prompt
	var all []Incoming
	var body []string
	if told := strings.Join(system, "\n\n"); told != "" {
		if someone.MatchString(told) && last >= 0 {
			persona := Incoming{Where: where + ", what the system was told"}
			persona.Kind, persona.Body = entry.Persona, told+"\n"
			if !strings.Contains(told, "## ") {
				persona.Body = "## Who\n" + persona.Body
			}
			persona.Title, persona.Summary = entry.Suggest(someone.ReplaceAllString(told, ""))
			if persona.Slug = slug + "-persona"; slug == "" {
				persona.Slug = ""
			}
			prompt.Persona = persona.Slug
			all = append(all, persona)
		} else {
			body = append(body, "## Background\n"+told)
		}
	}
	if task := lastWords(chat, last); task != "" {
		prompt.Title, prompt.Summary = entry.Suggest(task)
		if len(body)+len(before) > 0 && !strings.Contains(task, "## ") {
			task = "## Task\n" + task
		}
		body = append(body, task)
	} else {
		prompt.Title, prompt.Summary = entry.Suggest(strings.Join(system, "\n\n"))
	}
	if len(before) > 0 {
		body = append(body, "## Examples\n"+strings.Join(before, "\n\n"))
	}
	if len(body) == 0 {
		prompt.Wrong.Add("/body", "missing", "no message of this chat has a text")
		return []Incoming{prompt}
	}
	prompt.Body = strings.Join(body, "\n\n") + "\n"
	// What was said elsewhere may hold double braces that are no marks of ours.
	prompt.Plain = strings.Contains(prompt.Body, "{{") && !readable(prompt.Body)
	return append(all, prompt)
}

func readable(body string) bool {
	_, err := entry.Content{Body: body}.Parsed("", 0)
	return err == nil
}

func lastWords(chat []said, last int) string {
	if last < 0 {
		return ""
	}
	return strings.TrimSpace(chat[last].Content)
}

// someone is how a system is told whom to speak as.
var someone = regexp.MustCompile(`(?i)^\s*(you are|you're|act as|speak as)\s+(the |an? )?`)

func quoted(text string) string { return "> " + strings.ReplaceAll(text, "\n", "\n> ") }

// fromJSON turns an error of package strict into problems.
func fromJSON(err error) error {
	if bad, ok := err.(*strict.Unreadable); ok {
		list := one("json", "it is no JSON: %s", bad.Why)
		list[0].Line, list[0].Column = bad.Line, bad.Column
		return list
	}
	return err
}

// canonicalJSON gives v as JSON in one form: two spaces a level, no escapes for
// HTML, a line end at the end.
func canonicalJSON(v any) ([]byte, error) {
	var out bytes.Buffer
	enc := json.NewEncoder(&out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	err := enc.Encode(v)
	return out.Bytes(), err
}
