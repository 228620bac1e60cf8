"""Non-Wi-Fi emitters of a window: detections tracked over time, and advice for each kind."""
