"""Run schedules coat by coat; predict and plan them; swatch sheets, touch-ups and inlays."""
