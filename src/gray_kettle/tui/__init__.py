"""The full-screen app. `theme` has colours and cells, `frame` what every screen shows, then one folder a screen."""
