import { useEffect, useState } from "react";
import { Nav, Navbar } from "react-bootstrap";
import { Navigate, NavLink, Route, Routes, useLocation, useNavigate, useParams } from "react-router-dom";
import { Desk } from "./desk/Desk";
import { Handover } from "./handover/Handover";
import { Intake } from "./intake/Intake";
import { LineUp } from "./lineup/LineUp";
import { Settings } from "./settings/Settings";
import { useDay } from "./shared/day";
import { Finder } from "./shared/Finder";
import { KeysHelp } from "./shared/KeysHelp";
import { GENERAL_KEYS, shownOf } from "./shared/keys";
import { NoticesSheet } from "./shared/NoticesSheet";
import { useNewsOfTheDay } from "./shared/news";
import { useKey } from "./shared/pressing";
import { Status } from "./shared/Status";
import { isFirstTime, Walk } from "./shared/Walk";
import { useWall } from "./wall/selection";
import { Wall } from "./wall/Wall";

const SCREENS = ["Intake", "Wall", "Desk", "Line-up", "Handover", "Settings"];

/** Goes on to a shot, unless the user went elsewhere before this was drawn. */
function ToShot({ id }: { id: number }) {
  const navigate = useNavigate();
  useEffect(() => {
    if (window.location.pathname === "/desk") navigate(`/desk/${id}`, { replace: true });
  }, [id, navigate]);
  return null;
}

function DeskRoute() {
  const { shotId } = useParams();
  const day = useDay();
  const first = day.data?.shots.find((shot) => shot.progress === "ready");
  if (shotId) return <Desk key="desk" shotId={Number(shotId)} />;
  if (first) return <ToShot id={first.id} />;
  return <p className="empty">No shot is measured yet. Take clips in on Intake first.</p>;
}

export function App() {
  const day = useDay();
  const [help, setHelp] = useState(false);
  const [walking, setWalking] = useState(isFirstTime);
  const { pathname } = useLocation();
  const screen = SCREENS.find((one) => pathname.startsWith(`/${one.toLowerCase()}`)) ?? "Dovrel";
  useNewsOfTheDay();
  const navigate = useNavigate();
  const [finding, setFinding] = useState(false);
  const [noticing, setNoticing] = useState(false);
  useKey(GENERAL_KEYS.help.key, () => setHelp((open) => !open), { overDialogs: help });
  useKey(GENERAL_KEYS.find.key, () => setFinding(true));
  useKey(GENERAL_KEYS.notices.key, () => setNoticing(true));
  return (
    <div className="app">
      <Navbar as="header" role="banner" className="top">
        <span className="name">Dovrel</span>
        <span className="second">
          {day.data ? [day.data.production.name, day.data.production.day].filter(Boolean).join(" · ") : ""}
        </span>
        <Nav as="nav" className="screens" aria-label="Screens">
          {SCREENS.map((one) => (
            <NavLink key={one} to={`/${one.toLowerCase()}`} className="nav-link">
              {one}
            </NavLink>
          ))}
        </Nav>
        <Status onNotices={() => setNoticing(true)} />
      </Navbar>
      <main>
        <h1 className="visually-hidden">{screen}</h1>
        <Routes>
          <Route path="/" element={<Navigate to="/wall" replace />} />
          <Route path="/intake" element={<Intake />} />
          <Route path="/wall" element={<Wall />} />
          <Route path="/desk" element={<DeskRoute />} />
          <Route path="/desk/:shotId" element={<DeskRoute />} />
          <Route path="/line-up" element={<LineUp />} />
          <Route path="/handover" element={<Handover />} />
          <Route path="/settings" element={<Settings />} />
          <Route path="*" element={<p className="empty">There is no such page. Choose a screen above.</p>} />
        </Routes>
      </main>
      <KeysHelp
        show={help}
        onHide={() => setHelp(false)}
        onWalk={() => {
          setHelp(false);
          setWalking(true);
        }}
      />
      {noticing && <NoticesSheet day={day.data} onHide={() => setNoticing(false)} />}
      {finding && (
        <Finder
          screen={screen}
          screens={SCREENS}
          day={day.data}
          toFamily={(id) => {
            const first = day.data?.shots.find((shot) => shot.family_id === id);
            useWall.setState({ at: first?.id ?? null, anchor: null });
            navigate("/wall");
          }}
          help={[
            { text: GENERAL_KEYS.help.does, shown: shownOf(GENERAL_KEYS.help), run: () => setHelp(true) },
            {
              text: GENERAL_KEYS.notices.does,
              shown: shownOf(GENERAL_KEYS.notices),
              run: () => setNoticing(true),
            },
            { text: "first steps: a match by your own hands", shown: "", run: () => setWalking(true) },
          ]}
          onHide={() => setFinding(false)}
        />
      )}
      {walking && day.data && day.data.shots.length > 0 && (
        <Walk day={day.data} onEnd={() => setWalking(false)} />
      )}
    </div>
  );
}
