package server

import (
	"errors"
	"html"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/core/message"
	"goldshelf/core/problem"
	"goldshelf/internal/people"
	"goldshelf/internal/signon"
	"goldshelf/internal/work"
)

const (
	signOnPath     = "/sign-on"
	signOnBackPath = "/sign-on/back"
	signOnEndPath  = "/sign-on/ended"
	signOnCookie   = "goldshelf-sign-on"
	mostLogout     = 64 << 10
)

// signOns are the pages by which one signs in at the company's provider.
func (s *server) signOns(app *fiber.App) {
	if s.opt.SignOn == nil {
		return
	}
	app.Get(signOnPath, s.readable, s.goSignOn)
	app.Get(signOnBackPath, s.readable, s.comeBack)
	app.Post(signOnEndPath, s.received(mostLogout), s.endedThere)
}

// goSignOn sends whoever signs in to the company's provider.
func (s *server) goSignOn(c fiber.Ctx) error {
	address, err := s.beginSignOn(c, work.Caller{})
	if err != nil {
		return s.signOnFailed(c, err)
	}
	return c.Redirect().Status(fiber.StatusSeeOther).To(address)
}

func (s *server) beginSignOn(c fiber.Ctx, by work.Caller) (address string, err error) {
	b, err := s.opt.SignOn.Begin(c.Context(), s.baseURL(c)+signOnBackPath)
	if err != nil {
		return "", err
	}
	browser, err := s.lib.People.BeginSignOn(c.Context(), by, b)
	if err != nil {
		return "", err
	}
	// It comes back from another site: a strict cookie would stay behind.
	c.Cookie(&fiber.Cookie{
		Name: s.ownCookie(signOnCookie), Value: browser, Path: "/", Expires: time.Now().Add(10 * time.Minute),
		HTTPOnly: true, SameSite: fiber.CookieSameSiteLaxMode, Secure: s.secure(),
	})
	return b.Address, nil
}

// comeBack signs in whoever comes back from the provider, or links their account.
func (s *server) comeBack(c fiber.Ctx) error {
	c.Set(fiber.HeaderCacheControl, "no-store")
	b, links, err := s.lib.People.TakeSignOn(c.Context(), c.Query("state"), c.Cookies(s.ownCookie(signOnCookie)))
	if err != nil {
		return s.signOnFailed(c, err)
	}
	if said := c.Query("error"); said != "" {
		return s.signOnFailed(c, &people.SignOnRefused{Why: message.Say("the sign-on has not let you in: %s", strings.Map(printable, said))})
	}
	who, err := s.opt.SignOn.Finish(c.Context(), s.baseURL(c)+signOnBackPath, c.Query("code"), b)
	if err != nil {
		return s.signOnFailed(c, err)
	}
	if links != 0 {
		if err := s.lib.People.Link(c.Context(), links, who); err != nil {
			return s.signOnFailed(c, err)
		}
		return s.goOn(c, "/account")
	}
	from := s.originOf(c)
	from.Cookie = true
	session, err := s.lib.People.SignOn(c.Context(), from, who)
	if err != nil {
		return s.signOnFailed(c, err)
	}
	s.keepCookie(c, s.cookieName(), session.Token, session.Expires)
	if session.Browser != "" {
		s.keepCookie(c, s.browserCookie(), session.Browser, time.Now().AddDate(1, 0, 0))
	}
	return s.goOn(c, "/")
}

// printable leaves letters, digits and what stands between them: it is shown.
func printable(r rune) rune {
	if r == '_' || r == '-' || r == ' ' || r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' {
		return r
	}
	return -1
}

// goOn is a page that leads on by itself: the console's strict cookie is not sent along on the
// way from another site, and is from a page of ours.
func (s *server) goOn(c fiber.Ctx, to string) error {
	c.Set(fiber.HeaderContentType, fiber.MIMETextHTMLCharsetUTF8)
	in := languageOf(c)
	return c.SendString(`<!doctype html><html lang="` + string(in) + `"><meta charset="utf-8"><meta http-equiv="refresh" content="0;url=` + to + `"><title>Gold Shelf</title><p>` +
		message.Say("You are signed in.").In(in) + ` <a href="` + to + `">` + message.Say("Go on").In(in) + `</a></p></html>`)
}

// signOnFailed tells whoever looks at a page why they do not come in.
func (s *server) signOnFailed(c fiber.Ctx, err error) error {
	var refused *people.SignOnRefused
	status, what := fiber.StatusForbidden, message.Text{}
	switch {
	case errors.As(err, &refused):
		what = refused.Why
	case errors.Is(err, signon.ErrRefused):
		what = message.Say("what came back from %s does not hold; begin again", s.opt.SignOn.Name)
	case errors.Is(err, signon.ErrAway):
		status, what = fiber.StatusBadGateway, message.Say("%s does not answer; try again in a moment, or sign in by your password", s.opt.SignOn.Name)
	default:
		return err
	}
	s.log.WarnContext(c.Context(), "a sign-on did not come through", "request", requestID(c), "error", err)
	c.Status(status)
	c.Set(fiber.HeaderContentType, fiber.MIMETextHTMLCharsetUTF8)
	in := languageOf(c)
	why := what.In(in)
	title := message.Say("You are not signed in").In(in)
	return c.SendString(`<!doctype html><html lang="` + string(in) + `"><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>` + title + `</title>
<style>body{font:18px/1.5 serif;max-width:30rem;margin:20vh auto 0;padding:0 1rem;background:#FBF8F1;color:#23201B}a{color:#8A5F0E}</style>
<main><h1>` + title + `</h1><p>` + html.EscapeString(strings.ToUpper(why[:1])+why[1:]) + `.</p><p><a href="/sign-in">` + message.Say("To the sign-in page").In(in) + `</a></p></main></html>`)
}

// endedThere hears from the provider that somebody has signed out there, or may come in no more.
func (s *server) endedThere(c fiber.Ctx) error {
	c.Set(fiber.HeaderCacheControl, "no-store")
	subject, err := s.opt.SignOn.Ended(c.Context(), c.FormValue("logout_token"))
	switch {
	case errors.Is(err, signon.ErrRefused):
		return &status{unreadableRequest, message.Say("this is no word of the provider's that somebody has signed out")}
	case errors.Is(err, signon.ErrAway):
		return &busy{message.Say("the provider's keys cannot be had at the moment; send it again")}
	case err != nil:
		return err
	}
	if err := s.lib.People.SignedOut(c.Context(), s.opt.SignOn.Issuer, subject); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusOK)
}

func (s *server) signOnLinks(c fiber.Ctx) error {
	all, err := s.lib.People.SignOnLinks(c.Context(), caller(c))
	return answer(c, all, err)
}

// linkSignOn begins a sign-on by which the caller is known from then on.
func (s *server) linkSignOn(c fiber.Ctx) error {
	if err := body(c, &struct{}{}); err != nil {
		return err
	}
	if s.opt.SignOn == nil {
		return &status{notFound, message.Say("this service has no sign-on; it is told of one by --oidc-issuer")}
	}
	address, err := s.beginSignOn(c, caller(c))
	if errors.Is(err, signon.ErrAway) {
		return &busy{message.Say("%s does not answer; try again in a moment", s.opt.SignOn.Name)}
	}
	return answer(c, api.SignOnBegun{Address: address}, err)
}

func (s *server) unlinkSignOn(c fiber.Ctx) error {
	in := api.SignOnLink{Issuer: c.Query("issuer"), Subject: c.Query("subject")}
	var wrong problem.List
	if in.Issuer == "" || in.Subject == "" {
		wrong.Add("/issuer", "missing", "say which: issuer and subject, as the list has them")
	}
	if err := wrong.Err(); err != nil {
		return err
	}
	if err := s.lib.People.Unlink(c.Context(), caller(c), in); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *server) signOnGroups(c fiber.Ctx) error {
	g, err := s.lib.People.SignOnGroups(c.Context(), caller(c))
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("groups", g.Number))
	return c.JSON(g)
}

func (s *server) setSignOnGroups(c fiber.Ctx) error {
	on, err := tagNumber(c, "groups", message.Say("say which state of the groups you read: If-Match with its ETag"))
	if err != nil {
		return err
	}
	var in api.SignOnGroups
	if err := body(c, &in); err != nil {
		return err
	}
	g, err := s.lib.People.SetSignOnGroups(c.Context(), caller(c), on, in)
	if err != nil {
		return err
	}
	c.Set(fiber.HeaderETag, numberTag("groups", g.Number))
	return c.JSON(g)
}
