// Package trace is the stand-in renderer: it turns a scene, a look and a camera into pixels.
//
// Prepare builds what does not move; At places everything at a moment; Render shoots rays. Light comes
// from the sky, the look's sun, the scene's punctual lights and its glowing triangles, with shadows, and
// smooth surfaces mirror what is around them. Radiance is linear with BT.709 primaries.
//
// Every random number is hashed from pixel, sample, dimension and frame (see sampler), and a pixel uses
// only its own samples. So the same frame has the same bits on one core or many, whole or in pieces.
package trace
