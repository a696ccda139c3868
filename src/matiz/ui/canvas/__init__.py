"""The picture on the screen: view, rendering, tools of the hand, comparison."""
