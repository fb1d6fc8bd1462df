package client

import (
	"context"
	"net/http"
	"net/url"
	"strconv"

	"goldshelf/api"
)

// MeasureVoice gives the figures of a text and, where it names a style, how near it is.
func (c *Client) MeasureVoice(ctx context.Context, in api.TextToMeasure) (api.Voice, error) {
	return read[api.Voice](ctx, c, post("/voice", in))
}

// StyleFigures gives what is measured of a style's samples.
func (c *Client) StyleFigures(ctx context.Context, slug string) (api.StyleFigures, error) {
	return read[api.StyleFigures](ctx, c, get("/styles/"+url.PathEscape(slug)+"/figures"))
}

// DrawGuide brings the guide of a style up to the figures of its samples. Nothing is saved.
func (c *Client) DrawGuide(ctx context.Context, slug, guide string) (api.GuideDrawn, error) {
	return read[api.GuideDrawn](ctx, c, post("/styles/"+url.PathEscape(slug)+"/guide", api.GuideToDraw{Guide: guide}))
}

// Samples lists the samples of a style, to those who look after it.
func (c *Client) Samples(ctx context.Context, slug string) (api.Samples, error) {
	return read[api.Samples](ctx, c, get(samplesOf(slug)))
}

// Sample gives one of them with its text.
func (c *Client) Sample(ctx context.Context, slug string, id int64) (api.SampleText, error) {
	return read[api.SampleText](ctx, c, get(samplesOf(slug)+"/"+strconv.FormatInt(id, 10)))
}

// AddSample adds a text to a style's samples, in the place of one that is called the same.
// Dated is a day as 2026-01-31, or empty; a weight of 0 is 1.
func (c *Client) AddSample(ctx context.Context, slug, name, dated string, weight float64, text []byte) (api.Sample, error) {
	q := url.Values{"name": {name}}
	if dated != "" {
		q.Set("dated", dated)
	}
	if weight != 0 {
		q.Set("weight", strconv.FormatFloat(weight, 'g', -1, 64))
	}
	return read[api.Sample](ctx, c, request{method: http.MethodPost, path: samplesOf(slug) + "?" + q.Encode(), raw: text, kind: "application/octet-stream"})
}

// RemoveSample removes a sample for good.
func (c *Client) RemoveSample(ctx context.Context, slug string, id int64) error {
	_, err := c.call(ctx, request{method: http.MethodDelete, path: samplesOf(slug) + "/" + strconv.FormatInt(id, 10)}, nil)
	return err
}

func samplesOf(slug string) string { return "/styles/" + url.PathEscape(slug) + "/samples" }
