package demo

import (
	"reelhouse/core/contact"
	"reelhouse/core/mhl"
	"reelhouse/core/movie"
	"reelhouse/core/production"
	"reelhouse/core/sprite"
)

// Deliveries are the recipes of the ferry: everything that its makers hand on.
func Deliveries() []production.Delivery {
	ferry := production.Delivery{
		Code: "ferry", Name: "The ferry", For: "Saltmarsh harbour office", NoFiles: true, Hash: mhl.XXH64,
		Page: true, Contact: contact.Usual(), Sprites: sprite.Usual(), Movie: movie.Usual(),
	}
	ferry.Movie.Of, ferry.Movie.Slate = movie.OfCut, true
	return []production.Delivery{
		ferry,
		{
			Code:    "comp",
			Name:    "Masters for compositing",
			For:     "Tern Pictures",
			Outputs: []string{"master"},
			Hash:    mhl.XXH64,
		},
	}
}

// SketchDeliveries are the recipes of the sketches.
func SketchDeliveries() []production.Delivery {
	review := production.Delivery{
		Code: "review", Name: "Movies for review", For: "Tern Pictures", NoFiles: true, Hash: mhl.XXH64,
		Contact: contact.Usual(), Movie: movie.Usual(),
	}
	review.Movie.Stamp = true
	return []production.Delivery{review}
}
