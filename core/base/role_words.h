// The words of file names that speak of a drum or a place, in English, German, French and Spanish.
#pragma once

#include <string_view>

namespace cask {

enum class Means {
    Nothing, ///< known, and of no help
    Kick,
    Snare,
    Hat,
    OpenHat,
    Tom,
    RackTom,
    FloorTom,
    Ride,
    Crash,
    Overhead,
    Air, ///< overheads, of a tom the one that hangs
    Room,
    In,
    Out,
    Sub,
    Top,
    Bottom,
    Low,
    High,
    Open,
    SideStick,
    Stick,
    Side,
    Rimshot,
    Clap,
    Percussion,
    Loop,
    Bass,
    Drum,
    Big,
    Small,
    Voice,
    Lead,
    Music,
    GuideTrack,
    ClickTrack,
    TalkbackTrack,
    ReferenceTrack,
    Effect,
};

struct NameWordMeaning {
    std::string_view text; ///< lower case, without marks over letters
    Means means;
};

using enum Means;

// clang-format off
inline constexpr NameWordMeaning kNameWords[] = {
    {"kick", Kick}, {"kik", Kick}, {"kck", Kick}, {"kk", Kick}, {"bd", Kick}, {"kd", Kick}, {"bombo", Kick},
    {"gc", Kick}, {"fusstrommel", Kick}, {"kic", Kick}, {"kickdrum", Kick},
    {"snare", Snare}, {"sn", Snare}, {"snr", Snare}, {"sna", Snare}, {"sd", Snare}, {"cc", Snare},
    {"caja", Snare}, {"redoblante", Snare}, {"tarola", Snare}, {"claire", Snare}, {"schnarr", Snare},
    {"hat", Hat}, {"hats", Hat}, {"hh", Hat}, {"hihat", Hat}, {"hihats", Hat}, {"charley", Hat},
    {"charleston", Hat}, {"charles", Hat}, {"contratiempo", Hat},
    {"chh", Hat}, {"hhc", Hat}, {"hhp", Hat}, {"ohh", OpenHat}, {"hho", OpenHat},
    {"tom", Tom}, {"toms", Tom}, {"tt", Tom}, {"tm", Tom}, {"timbal", Tom}, {"ht", Tom}, {"mt", Tom}, {"lt", FloorTom},
    {"rack", RackTom}, {"rt", RackTom}, {"tr", RackTom}, {"rk", RackTom}, {"hange", RackTom},
    {"floor", FloorTom}, {"flr", FloorTom}, {"flt", FloorTom}, {"ft", FloorTom}, {"tf", FloorTom}, {"stand", FloorTom},
    {"goliat", FloorTom}, {"piso", FloorTom}, {"suelo", FloorTom},
    {"ride", Ride}, {"rd", Ride}, {"rde", Ride},
    {"crash", Crash}, {"crsh", Crash}, {"cr", Crash}, {"splash", Crash}, {"china", Crash}, {"cymbal", Crash}, {"cymbals", Crash},
    {"cym", Crash}, {"becken", Crash}, {"cymbale", Crash}, {"cymbales", Crash}, {"platillo", Crash},
    {"platillos", Crash}, {"plato", Crash}, {"platos", Crash},
    {"oh", Overhead}, {"ohs", Overhead}, {"overhead", Overhead}, {"overheads", Overhead}, {"over", Overhead},
    {"ovh", Overhead}, {"ovhd", Overhead}, {"ovhs", Overhead}, {"ovr", Overhead}, {"uberkopf", Overhead}, {"cenital", Overhead},
    {"cenitales", Overhead},
    {"head", Nothing}, {"heads", Nothing}, {"drums", Nothing}, {"mic", Nothing}, {"left", Nothing},
    {"right", Nothing}, {"links", Nothing}, {"rechts", Nothing}, {"de", Nothing}, {"ch", Nothing},
    {"fell", Nothing},
    {"aerien", Air}, {"aeriens", Air}, {"aereo", Air}, {"aereos", Air}, {"aire", Air},
    {"room", Room}, {"rooms", Room}, {"rm", Room}, {"rms", Room}, {"amb", Room}, {"ambience", Room},
    {"ambient", Room}, {"ambiance", Room}, {"ambiente", Room}, {"hall", Room}, {"far", Room}, {"raum", Room},
    {"salle", Room}, {"sala", Room}, {"piece", Room},
    {"in", In}, {"inside", In}, {"inner", In}, {"innen", In}, {"int", In}, {"interieur", In}, {"dedans", In},
    {"dentro", In}, {"adentro", In}, {"interior", In}, {"beater", In}, {"schlag", In},
    {"out", Out}, {"outside", Out}, {"outer", Out}, {"aussen", Out}, {"ext", Out}, {"exterieur", Out},
    {"dehors", Out}, {"fuera", Out}, {"afuera", Out}, {"exterior", Out}, {"front", Out}, {"reso", Out},
    {"resonanz", Out}, {"resonant", Out},
    {"sub", Sub}, {"subkick", Sub},
    {"top", Top}, {"tp", Top}, {"up", Top}, {"upper", Top}, {"oben", Top}, {"dessus", Top}, {"haut", Top},
    {"arriba", Top}, {"superior", Top},
    {"bottom", Bottom}, {"bot", Bottom}, {"btm", Bottom}, {"bt", Bottom}, {"under", Bottom}, {"dn", Bottom},
    {"down", Bottom}, {"unten", Bottom}, {"dessous", Bottom}, {"bas", Bottom}, {"abajo", Bottom},
    {"inferior", Bottom}, {"wires", Bottom}, {"teppich", Bottom}, {"timbre", Bottom}, {"bordonera", Bottom},
    {"low", Low}, {"lo", Low}, {"lower", Low}, {"grave", Low}, {"tief", Low}, {"base", Low},
    {"high", High}, {"hi", High}, {"mid", High}, {"medium", High}, {"aigu", High}, {"alto", High},
    {"open", Open}, {"offen", Open}, {"ouvert", Open}, {"abierto", Open},
    {"sidestick", SideStick}, {"rim", SideStick}, {"xstick", SideStick}, {"rimclick", SideStick},
    {"stick", Stick},
    {"cross", Side}, {"side", Side},
    {"rimshot", Rimshot},
    {"clap", Clap}, {"claps", Clap}, {"snap", Clap},
    {"perc", Percussion}, {"percussion", Percussion}, {"shaker", Percussion}, {"tamb", Percussion},
    {"tambourine", Percussion}, {"cowbell", Percussion}, {"conga", Percussion}, {"congas", Percussion},
    {"bongo", Percussion}, {"bongos", Percussion}, {"shakers", Percussion}, {"tambourin", Percussion},
    {"cowbells", Percussion}, {"timbale", Percussion}, {"timbales", Percussion}, {"agogo", Percussion},
    {"cabasa", Percussion}, {"maraca", Percussion}, {"maracas", Percussion}, {"guiro", Percussion},
    {"clave", Percussion}, {"claves", Percussion}, {"woodblock", Percussion}, {"woodblocks", Percussion},
    {"cuica", Percussion}, {"triangle", Percussion}, {"vibraslap", Percussion},
    {"loop", Loop}, {"loops", Loop}, {"drumloop", Loop}, {"break", Loop}, {"breaks", Loop}, {"breakbeat", Loop},
    {"bass", Bass}, {"bs", Bass}, {"basse", Bass}, {"bajo", Bass},
    {"drum", Drum}, {"trommel", Drum}, {"caisse", Drum},
    {"grosse", Big},
    {"kleine", Small},
    {"vox", Voice}, {"voice", Voice}, {"vocal", Voice}, {"vocals", Voice}, {"voc", Voice}, {"gesang", Voice},
    {"voix", Voice}, {"voz", Voice},
    {"lead", Lead},
    {"guide", GuideTrack}, {"scratch", GuideTrack}, {"pilot", GuideTrack}, {"pilote", GuideTrack},
    {"click", ClickTrack}, {"clk", ClickTrack}, {"klick", ClickTrack}, {"metronome", ClickTrack}, {"metronom", ClickTrack}, {"clic", ClickTrack},
    {"metronomo", ClickTrack}, {"claqueta", ClickTrack}, {"talkback", TalkbackTrack}, {"talk", TalkbackTrack},
    {"reference", ReferenceTrack}, {"ref", ReferenceTrack}, {"refs", ReferenceTrack}, {"referenz", ReferenceTrack}, {"referencia", ReferenceTrack},
    {"music", Music}, {"musik", Music}, {"gtr", Music}, {"guitar", Music}, {"guitars", Music},
    {"gitarre", Music}, {"guitare", Music}, {"guitarra", Music}, {"keys", Music}, {"piano", Music},
    {"synth", Music}, {"instrumental", Music},
    {"fx", Effect}, {"effect", Effect}, {"sfx", Effect},
};
// clang-format on

/// A file's name without its ending: two to four letters or digits behind the last dot.
[[nodiscard]] std::string_view withoutEnding(std::string_view name);

} // namespace cask
