"""The oil's way: how long it takes to reach the gallery, and what cooler and filter take from it."""
