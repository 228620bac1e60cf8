"""The full-screen app. `ink` has colours and cells, `frame` what stands on every screen, then one folder a screen."""
