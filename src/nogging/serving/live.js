(() => {
  const fresh = document.getElementById("fresh");
  const busy = () => {
    const at = document.activeElement;
    return scrollY > 200 || (at && at !== document.body && at.id !== "main") || !getSelection().isCollapsed;
  };
  const look = async () => {
    try {
      const told = await (await fetch("/health")).json();
      if (told.last && told.last !== document.body.dataset.moment) {
        if (location.pathname === "/" && !busy()) location.reload();
        else fresh.hidden = false;
      }
    } catch { /* it is not there now: what is shown stays */ }
  };
  setInterval(look, 15000);
})();
