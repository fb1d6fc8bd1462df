package server

import (
	"net/url"
	"strings"

	"github.com/gofiber/fiber/v3"

	"goldshelf/api"
	"goldshelf/internal/people"
	"goldshelf/internal/work"
)

const cookieName = "goldshelf"

type key int

const (
	callerKey key = iota
	sessionKey
	tokenKey
)

func caller(c fiber.Ctx) work.Caller {
	by, _ := c.Locals(callerKey).(work.Caller)
	return by
}

func (s *server) signIn(c fiber.Ctx) error {
	if err := s.fromHere(c); err != nil {
		return err
	}
	var in api.Credentials
	if err := body(c, &in); err != nil {
		return err
	}
	session, err := s.lib.People.SignIn(c.Context(), in.Name, in.Password)
	if err != nil {
		return err
	}
	return signedInAs(c, session)
}

// signedInAs answers with a new session, and has a browser keep it.
func signedInAs(c fiber.Ctx, session api.Session) error {
	c.Cookie(&fiber.Cookie{
		Name: cookieName, Value: session.Token, Path: "/", Expires: session.Expires,
		HTTPOnly: true, SameSite: fiber.CookieSameSiteStrictMode, Secure: c.Scheme() == "https",
	})
	return c.JSON(session)
}

func (s *server) session(c fiber.Ctx) error {
	session, _ := c.Locals(sessionKey).(api.Session)
	return c.JSON(session)
}

func (s *server) signOut(c fiber.Ctx) error {
	token, _ := c.Locals(tokenKey).(string)
	if err := s.lib.People.SignOut(c.Context(), caller(c), token); err != nil {
		return err
	}
	c.Cookie(&fiber.Cookie{Name: cookieName, Path: "/", MaxAge: -1, HTTPOnly: true, SameSite: fiber.CookieSameSiteStrictMode})
	return c.SendStatus(fiber.StatusNoContent)
}

// tokenOf gives what a request says who calls by: a bearer token, else the console's
// cookie; and the way by which it came.
func tokenOf(c fiber.Ctx) (token, via string) {
	token, isBearer := strings.CutPrefix(c.Get(fiber.HeaderAuthorization), "Bearer ")
	switch {
	case !isBearer:
		return c.Cookies(cookieName), "console"
	case strings.HasPrefix(c.Get(fiber.HeaderUserAgent), "goldshelf/"):
		return token, "client"
	}
	return token, "api"
}

// signedIn finds out who calls.
func (s *server) signedIn(c fiber.Ctx) error {
	token, via := tokenOf(c)
	if token == "" {
		return &status{fiber.StatusUnauthorized, "sign in first: send a token as Authorization: Bearer, or sign in at the console"}
	}
	by, session, err := s.lib.People.Holder(c.Context(), token, via)
	if err != nil {
		return signInAgain(err)
	}
	c.Locals(callerKey, by)
	c.Locals(sessionKey, session)
	c.Locals(tokenKey, token)
	return c.Next()
}

// signInAgain says of a token that is not good what to do about it.
func signInAgain(err error) error {
	if err == people.ErrSignIn {
		return &status{fiber.StatusUnauthorized, "this sign-in has ended or is not known; sign in again"}
	}
	return err
}

// sameOrigin keeps other sites from acting through a browser that is signed in.
func (s *server) sameOrigin(c fiber.Ctx) error {
	if caller(c).Via == "console" {
		if err := s.fromHere(c); err != nil {
			return err
		}
	}
	return c.Next()
}

func (s *server) fromHere(c fiber.Ctx) error {
	if c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead {
		return nil
	}
	refused := &status{fiber.StatusForbidden, "the request comes from another site; make changes from the console's own pages"}
	if site := c.Get("Sec-Fetch-Site"); site != "" && site != "same-origin" {
		return refused
	}
	if origin := c.Get(fiber.HeaderOrigin); origin != "" {
		if u, err := url.Parse(origin); err != nil || u.Host != c.Host() {
			return refused
		}
	}
	return nil
}
