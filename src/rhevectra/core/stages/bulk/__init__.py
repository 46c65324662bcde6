"""Line-fed bulk: bridge straight into a capacitor, or into a stacked pair that a selector charges in turn. The bulk is solved, never
guessed."""
